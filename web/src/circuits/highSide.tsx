import { Capacitor, Diode, Igbt, Inductor, Missing, Mosfet, Node, Resistor, Tag, Terminal, Wire } from "./symbols"
import type { Values } from "."

/** The way from the secondary to the upper rail, by circuit. */
const DIODES: Record<string, () => React.ReactNode> = {
  bridge: () => (
    <>
      <Terminal x={24} y={75} />
      <Terminal x={24} y={111} />
      <Wire d="M27 75H100M27 111H170M100 30V36M100 68V118M100 150V156M170 30V36M170 68V118M170 150V156M100 30H220M100 156H420" />
      {[100, 170].map((x) => (
        <g key={x}>
          <Diode x={x} y={68} turn={-90} />
          <Diode x={x} y={150} turn={-90} />
        </g>
      ))}
      <Node x={100} y={75} />
      <Node x={170} y={111} />
    </>
  ),
  "centre tap": () => (
    <>
      <Terminal x={24} y={30} />
      <Terminal x={24} y={93} />
      <Terminal x={24} y={124} />
      <Wire d="M27 30H90M122 30H220M27 93H60V156H420M27 124H90M122 124H150V30" />
      <Diode x={90} y={30} />
      <Diode x={90} y={124} />
      <Node x={150} y={30} />
      <Tag x={34} y={86} value="tap" />
    </>
  ),
  doubler: () => (
    <>
      <Terminal x={24} y={75} />
      <Terminal x={24} y={111} />
      <Wire d="M27 75H110M110 30V36M110 68V118M110 150V156M110 30H220M110 156H420M27 111H96M124 111H160" />
      <path d="M96 111a14 9 0 0 1 28 0" fill="none" stroke="currentColor" strokeWidth="1.5" />
      <Diode x={110} y={68} turn={-90} />
      <Diode x={110} y={150} turn={-90} />
      <Node x={110} y={75} />
      <Terminal x={163} y={111} />
      <Tag x={128} y={132} value="mid-point" />
    </>
  ),
}

/** Diodes by their circuit, damper, choke or none. */
export function RectifierCircuit({ v }: { v: Values }) {
  const damped = v.damper !== "none"
  const choked = v.choke !== "none"
  const Drawn = DIODES[(v.circuit ?? "bridge").split(",")[0] ?? "bridge"] ?? DIODES.bridge!
  return (
    <>
      <Drawn />
      {choked ? (
        <>
          <Wire d="M220 30H290M338 30H420" />
          <Inductor x={290} y={30} core />
          <Tag x={314} y={54} at="middle" value={v.choke} />
        </>
      ) : (
        <>
          <Wire d="M220 30H420" />
          <Tag x={314} y={22} at="middle" value="no choke" />
        </>
      )}
      {damped ? (
        <>
          <Wire d="M220 30V46M220 86V96M220 120V156" />
          <Resistor x={220} y={46} turn={90} />
          <Capacitor x={220} y={96} turn={90} />
          <Node x={220} y={30} />
          <Node x={220} y={156} />
          <Tag x={234} y={choked ? 84 : 74} name="damper" value={v.damper} />
        </>
      ) : (
        <Missing x={196} y={54} width={126} lines={["no damper here", `rings to ${v.reverse}`]} />
      )}
      <Terminal x={423} y={30} />
      <Terminal x={423} y={156} />
      <Tag x={430} y={124} at="end" name={v.current} value={v.ripple} />
      <Tag x={135} y={178} at="middle" value={v.diode} />
      {v.parts && <Tag x={24} y={20} value={`${v.parts} such in series, each on its part of the secondary`} />}
    </>
  )
}

/** Link capacitors and bleeder. */
export const LinkCircuit = ({ v }: { v: Values }) => (
  <>
    <Terminal x={50} y={36} />
    <Terminal x={50} y={150} />
    <Wire d="M53 36H400M53 150H400M270 36V72M270 112V150" />
    {v.banks === "2" ? (
      <>
        <Wire d="M160 36V52M160 76V110M160 134V150M53 93H160" />
        <Capacitor x={160} y={52} turn={90} polar />
        <Capacitor x={160} y={110} turn={90} polar />
        <Terminal x={50} y={93} />
        <Node x={160} y={93} />
      </>
    ) : (
      <>
        <Wire d="M160 36V80M160 104V150" />
        <Capacitor x={160} y={80} turn={90} polar />
      </>
    )}
    <Resistor x={270} y={72} turn={90} />
    {[160, 270].map((x) => (
      <g key={x}>
        <Node x={x} y={36} />
        <Node x={x} y={150} />
      </g>
    ))}
    <Terminal x={403} y={36} />
    <Terminal x={403} y={150} />
    <Tag x={178} y={22} at="middle" value={v.capacitor} />
    <Tag x={178} y={88} name={v.voltage} value={v.ripple} />
    <Tag x={286} y={78} name="bleeder" value={v.bleeder} />
    <Tag x={286} y={126} name={`${v.stored} stored`} value={`safe after ${v.safe}`} tone="stop" />
  </>
)

/** Four switches and the load between the legs. */
export function BridgeCircuit({ v }: { v: Values }) {
  const Switch = v.switch?.startsWith("IGBT") ? Igbt : Mosfet
  return (
    <>
      <Terminal x={60} y={20} />
      <Terminal x={60} y={168} />
      <Wire d="M63 20H330M63 168H330M170 20V32M170 80V108M170 156V168M330 20V32M330 80V108M330 156V168M170 94H222M330 94H278" />
      <Switch x={170} y={56} />
      <Switch x={170} y={132} />
      <Switch x={330} y={56} />
      <Switch x={330} y={132} />
      <Node x={170} y={94} />
      <Node x={330} y={94} />
      <rect x="222" y="82" width="56" height="24" fill="none" stroke="currentColor" strokeWidth="1.4" strokeDasharray="4 3" />
      <Tag x={250} y={98} at="middle" value="filter" />
      <Tag x={128} y={44} at="end" name="Q3" />
      <Tag x={128} y={160} at="end" name="Q4" />
      <Tag x={288} y={44} at="end" name="Q5" />
      <Tag x={288} y={160} at="end" name="Q6" />
      <Tag x={250} y={188} at="middle" value={[v.switch, v.parallel].filter(Boolean).join(", ")} />
      <Tag x={356} y={52} name={v.modulation} value={v.carrier} />
      <Tag x={356} y={126} name="dead time" value={v.dead_time} />
    </>
  )
}

/** Inductor and capacitor. */
export const FilterCircuit = ({ v }: { v: Values }) => (
  <>
    <Terminal x={50} y={52} />
    <Terminal x={50} y={150} />
    <Wire d="M53 52H140M188 52H400M53 150H400M290 52V88M290 112V150" />
    <Inductor x={140} y={52} core />
    <Capacitor x={290} y={88} turn={90} />
    <Node x={290} y={52} />
    <Node x={290} y={150} />
    <Terminal x={403} y={52} />
    <Terminal x={403} y={150} />
    <Tag x={164} y={28} at="middle" name={v.inductor} />
    <Tag x={164} y={78} at="middle" value={v.current} />
    <Tag x={164} y={94} at="middle" value={`ripple ${v.ripple}`} />
    <Tag x={308} y={96} name={v.capacitor} value={v.capacitor_current} />
    <Tag x={346} y={28} at="middle" value={`corner ${v.corner}`} />
    <Tag x={50} y={106} at="middle" value="bridge" />
    <Tag x={404} y={106} at="middle" value="socket" />
  </>
)

/** The socket and its connected load. */
export const LoadCircuit = ({ v }: { v: Values }) => (
  <>
    <Terminal x={90} y={40} />
    <Terminal x={90} y={146} />
    <Wire d="M93 40H260V48M260 88V96M260 144V146H93" />
    <Resistor x={260} y={48} turn={90} />
    {v.factor === "DC" ? <Wire d="M260 96V144" /> : <Inductor x={260} y={96} turn={90} />}
    <path d="M150 30h26m-6-4 6 4-6 4" fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="1.5" />
    <Tag x={163} y={22} at="middle" value={v.current} />
    <Tag x={90} y={98} at="middle" name={v.voltage} />
    <Tag x={284} y={74} name={v.power} value={v.factor} />
    <Tag x={284} y={124} value={v.factor === "DC" ? "as a resistance" : "as a series R–L load"} />
  </>
)
