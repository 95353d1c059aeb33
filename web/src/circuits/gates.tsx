import { Capacitor, Diode, Igbt, Missing, Mosfet, Node, Resistor, Tag, Terminal, Wire } from "./symbols"
import type { Values } from "."

/** What feeds the upper driver: a bootstrap, or a supply of its own. */
const Lift = ({ v }: { v: Values }) =>
  v.boot ? (
    <>
      <Wire d="M30 24H46M78 24H86M126 24H178V30M178 54V92H250" />
      <Diode x={46} y={24} />
      <Resistor x={86} y={24} />
      <Capacitor x={178} y={30} turn={90} />
      <Node x={178} y={24} />
      <Wire d="M178 24H206V42" />
      <Tag x={62} y={44} at="middle" value={v.diode?.split(" ").slice(0, 1).join(" ")} />
      <Tag x={106} y={15} at="middle" value={v.boot_resistor} />
      <Tag x={168} y={60} at="end" name={v.boot} value={`lowest ${v.low}`} />
    </>
  ) : (
    <>
      <Wire d="M186 24H206V42M178 92H250" />
      <rect x="118" y="12" width="68" height="24" fill="none" stroke="currentColor" strokeWidth="1.4" strokeDasharray="4 3" />
      <Tag x={152} y={28} at="middle" value={v.kind === "isolated" ? "floating" : (v.kind ?? "")} />
    </>
  )

/** A driver with its gate resistor, pull-down and switch, the gate's line at a height. */
const Driven = ({ y, v }: { y: number; v: Values }) => {
  const Switch = v.switch?.startsWith("IGBT") ? Igbt : Mosfet
  return (
    <g>
      <path d={`M190 ${y - 20}V${y + 20}L224 ${y}Z`} fill="none" stroke="currentColor" strokeWidth="1.5" />
      <Wire d={`M224 ${y}H236M276 ${y}H320M320 ${y}H330`} />
      <Resistor x={236} y={y} />
      <Switch x={360} y={y - 8} />
      <Node x={300} y={y} />
      {v.pull !== "none" && (
        <>
          <Wire d={`M300 ${y}V${y + 6}M300 ${y + 30}H360V${y + 16}`} />
          <path d={`M300 ${y + 6}v3m0 18v3m-4.5 -21h9v18h-9z`} fill="none" stroke="currentColor" strokeWidth="1.4" />
        </>
      )}
    </g>
  )
}

const Words = ({ v, x = 382 }: { v: Values; x?: number }) => (
  <>
    <Tag x={256} y={35} at="middle" name={v.on} value={`off ${v.off}`} />
    <Tag x={10} y={132} name={v.driver} value={v.times} />
    {v.pull === "none" ? (
      <Missing x={250} y={98} width={150} lines={["no pull-down", "a floating gate"]} />
    ) : (
      <Tag x={x} y={134} name={v.pull} value="pull-down" />
    )}
    {v.zener === "fitted" && <Tag x={x} y={166} value="with zener" />}
  </>
)

/** Both sides of a stage whose sources stand on ground. */
const Grounded = ({ v }: { v: Values }) => (
  <>
    <Terminal x={27} y={24} />
    <Tag x={10} y={15} value={v.supply} />
    <Wire d="M30 24H206V42M206 82V116M206 156V176M30 176H390M360 30V14H400M360 104H404M360 92H390V176M360 166V176" />
    <Driven y={62} v={v} />
    <Driven y={136} v={v} />
    <Tag x={406} y={18} value="one side" />
    <Tag x={408} y={108} value="other" />
    <Words v={v} x={398} />
  </>
)

/** One leg: drivers, gate resistors with the quicker way off, pull-downs, switches; or both sides of a stage on ground. */
export function GateCircuit({ v }: { v: Values }) {
  if (v.floats === "no") return <Grounded v={v} />
  return (
    <>
      <Terminal x={27} y={24} />
      <Tag x={10} y={15} value={v.supply} />
      <Lift v={v} />
      <Driven y={62} v={v} />
      <Driven y={136} v={v} />
      <Wire d="M360 30V14H400M360 92V104M250 92H360M360 166V176H30M206 156V176" />
      <Node x={360} y={92} />
      <Terminal x={403} y={14} />
      <Tag x={410} y={18} value={v.bus} />
      <Tag x={400} y={96} value="leg" />
      <Wire d="M360 92H394" />
      <Words v={v} />
    </>
  )
}
