import {
  Battery,
  Capacitor,
  Diode,
  FuseLink,
  Inductor,
  Missing,
  Mosfet,
  Node,
  Resistor,
  Tag,
  Terminal,
  VoltageSource,
  Wire,
} from "./symbols"
import type { Values } from "."

/** The pack: cells, their resistance, terminals. */
const BatteryCircuit = ({ v }: { v: Values }) => (
  <>
    <Wire d="M110 74V40H180M228 40H330M110 110V146H330" />
    <Battery x={110} y={110} turn={-90} />
    <Resistor x={180} y={40} />
    <Wire d="M220 40H228" />
    <Terminal x={333} y={40} />
    <Terminal x={333} y={146} />
    <Tag x={92} y={82} at="end" name={v.cells} value={v.emf} />
    <Tag x={200} y={22} at="middle" name="Rᵢ" />
    <Tag x={200} y={64} at="middle" value={v.resistance} />
    <Tag x={350} y={88} name={v.terminal} value="at the terminals" />
    <path d="M276 30h26m-6-4 6 4-6 4" fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="1.5" />
    <Tag x={289} y={20} at="middle" value={v.current} />
  </>
)

/** A supply: its voltage behind its resistance, the capacitor at its output, its limit. */
const RailCircuit = ({ v }: { v: Values }) => (
  <>
    <Wire d="M110 70V40H180M220 40H330M110 114V146H330M280 40V82M280 106V146" />
    <VoltageSource x={110} y={92} />
    <Resistor x={180} y={40} />
    <Capacitor x={280} y={82} turn={90} polar />
    <Node x={280} y={40} />
    <Node x={280} y={146} />
    <Terminal x={333} y={40} />
    <Terminal x={333} y={146} />
    <Tag x={80} y={84} at="end" name={v.emf} value={`up to ${v.limit}`} />
    <Tag x={200} y={22} at="middle" name="Rₛ" />
    <Tag x={200} y={64} at="middle" value={v.resistance} />
    <Tag x={264} y={98} at="end" value={v.capacitor} />
    <Tag x={350} y={88} name={v.terminal} value="terminals" />
    <path d="M292 30h26m-6-4 6 4-6 4" fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="1.5" />
    <Tag x={305} y={20} at="middle" value={v.current} />
  </>
)

/** What feeds the design. */
export const SourceCircuit = ({ v }: { v: Values }) => (v.limit ? <RailCircuit v={v} /> : <BatteryCircuit v={v} />)

/** Cable, fuse, capacitor bank. */
export const InputCircuit = ({ v }: { v: Values }) => (
  <>
    <Terminal x={30} y={44} />
    <Terminal x={30} y={146} />
    <Wire d={`M33 44H80M120 44H170M218 44H${v.choke ? "240M288 44H" : ""}420M33 146H420M300 44V82M300 106V146`} />
    <FuseLink x={80} y={44} />
    <Inductor x={170} y={44} />
    <Capacitor x={300} y={82} turn={90} polar />
    <Node x={300} y={44} />
    <Node x={300} y={146} />
    <Terminal x={423} y={44} />
    <Terminal x={423} y={146} />
    <Tag x={100} y={26} at="middle" name={v["@fuse"]} />
    <Tag x={100} y={68} at="middle" value={v.fuse} />
    <Tag x={194} y={26} at="middle" name="cable" />
    <Tag x={194} y={68} at="middle" value={v.cable} />
    {v.choke && (
      <>
        <Inductor x={240} y={44} />
        <Tag x={264} y={66} at="middle" name={v["@choke"]} value={v.choke} />
        {v.damper && (
          <>
            <Wire d="M232 44V14H244M284 14H294V44" />
            <Node x={232} y={44} />
            <Node x={294} y={44} />
            <Resistor x={244} y={14} />
            <Tag x={302} y={18} value={v.damper} />
          </>
        )}
      </>
    )}
    <Tag x={322} y={84} name={v.count} value={v.capacitor} />
    <Tag x={322} y={114} value={`ripple ${v.ripple}`} />
    <Tag x={10} y={98} value="source" />
    <Tag x={423} y={66} at="middle" value="stage" />
  </>
)

/** Push-pull: centre-tapped primary, two switches, clamp to the rail. */
export function PushPullCircuit({ v }: { v: Values }) {
  const clamped = v.clamp !== "none"
  return (
    <>
      <Terminal x={24} y={76} />
      <Terminal x={24} y={172} />
      <Wire d="M27 76H236M27 172H316M150 172V160M316 172V160M150 112V28H236M236 124H316V112" />
      <Inductor x={236} y={28} turn={90} />
      <Inductor x={236} y={76} turn={90} />
      <path d="M250 30V122M255 30V122" stroke="currentColor" strokeWidth="1.4" />
      <circle cx="227" cy="36" r="2.4" fill="currentColor" />
      <circle cx="227" cy="84" r="2.4" fill="currentColor" />
      <Mosfet x={150} y={136} />
      <Mosfet x={316} y={136} />
      <Node x={150} y={172} />
      <Node x={236} y={76} />
      <Tag x={24} y={66} value={`pulse ${v.pulse}`} />
      <Tag x={108} y={112} at="end" name="Q1, Q2" value={v.parallel} />
      <Tag x={232} y={189} at="middle" value={v.switch} />
      {clamped ? (
        <>
          <Node x={150} y={28} />
          <Wire d="M150 28V12H312M316 112H344V58H354" />
          <Diode x={312} y={12} />
          <Diode x={354} y={58} />
          <Node x={316} y={112} />
          <Wire d="M344 12H400V24M386 58H392V12M400 64V76H430V62M400 24V12H430V38" />
          <Resistor x={400} y={24} turn={90} />
          <Capacitor x={430} y={38} turn={90} />
          <Node x={392} y={12} />
          <Node x={400} y={12} />
          <Terminal x={415} y={76} />
          <Tag x={415} y={94} at="middle" value="rail" />
          <Tag x={350} y={112} name={v.clamp} value={`holds ${v.clamp_level}`} />
          <Tag x={350} y={146} value={`peak ${v.peak}`} />
        </>
      ) : (
        <>
          <Missing x={316} y={18} width={140} lines={["no clamp here", `spike ${v.spike}`]} />
          <Tag x={350} y={112} name="drain peaks at" value={v.peak} />
        </>
      )}
      <Tag x={350} y={164} value={`duty ${v.duty}`} />
    </>
  )
}

/** Transformer with its windings and dots; the primary centre-tapped or single. */
export const TransformerCircuit = ({ v }: { v: Values }) => (
  <>
    {v.halves === "1" ? (
      <>
        <Wire d="M120 52H196M120 124H196" />
        <g transform="translate(196 52) scale(-1 1) rotate(90)">
          <Coil />
        </g>
        <circle cx="212" cy="58" r="2.6" fill="currentColor" />
        <Terminal x={117} y={52} />
        <Terminal x={117} y={124} />
        <Tag x={178} y={93} at="end" name={v.primary} tone="copper" />
        <Tag x={104} y={84} at="end" value={v.primary_current} />
      </>
    ) : (
      <>
        <Wire d="M120 40H196M120 88H196M120 136H196" />
        <Inductor x={196} y={40} turn={90} />
        <Inductor x={196} y={88} turn={90} />
        <circle cx="210" cy="46" r="2.6" fill="currentColor" />
        <circle cx="210" cy="94" r="2.6" fill="currentColor" />
        <Terminal x={117} y={40} />
        <Terminal x={117} y={88} />
        <Terminal x={117} y={136} />
        <Tag x={182} y={70} at="end" name={v.primary} tone="copper" />
        <Tag x={182} y={118} at="end" name={v.primary} tone="copper" />
        <Tag x={104} y={60} at="end" value={v.primary_current} />
        <Tag x={104} y={76} at="end" value="each half" />
      </>
    )}
    <path d="M222 42V134M228 42V134" stroke="currentColor" strokeWidth="1.5" />
    {v.secondary_halves === "2" ? (
      <>
        <Wire d="M262 40H340M262 88H340M262 136H340" />
        <g transform="translate(262 40) scale(-1 1) rotate(90)">
          <Inductor x={0} y={0} />
        </g>
        <g transform="translate(262 88) scale(-1 1) rotate(90)">
          <Inductor x={0} y={0} />
        </g>
        <circle cx="246" cy="46" r="2.6" fill="currentColor" />
        <circle cx="246" cy="94" r="2.6" fill="currentColor" />
        <Terminal x={343} y={40} />
        <Terminal x={343} y={88} />
        <Terminal x={343} y={136} />
        <Tag x={280} y={70} name={v.secondary} tone="copper" />
        <Tag x={280} y={118} name={v.secondary} tone="copper" />
        <Tag x={358} y={100} value="each half" />
      </>
    ) : (
      <>
        <Wire d="M262 52H340M262 124H340" />
        <g transform="translate(262 52) rotate(90)">
          <Coil />
        </g>
        <circle cx="244" cy="58" r="2.6" fill="currentColor" />
        <Terminal x={343} y={52} />
        <Terminal x={343} y={124} />
        <Tag x={280} y={93} name={v.secondary} tone="copper" />
      </>
    )}
    <Tag x={358} y={84} name={v.secondary_current} />
    <Tag x={225} y={26} at="middle" name={v.core} />
    <Tag x={225} y={158} at="middle" value={`${v.flux} peak, leakage ${v.leakage}`} />
    <Tag x={225} y={176} at="middle" value={`${v.primary_wire} | ${v.secondary_wire}`} />
  </>
)

/** A winding of four turns along x. */
const Coil = () => (
  <path d="M0 0H4a8 8 0 0 0 16 0a8 8 0 0 0 16 0a8 8 0 0 0 16 0a8 8 0 0 0 16 0H72" fill="none" stroke="currentColor" strokeWidth="1.5" />
)
