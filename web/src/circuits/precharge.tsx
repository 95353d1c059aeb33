import { Capacitor, Node, Resistor, Tag, Terminal, Wire } from "./symbols"
import type { Values } from "."

/** A contact that is open, 40 long, along x. */
const Contact = ({ x, y }: { x: number; y: number }) => (
  <>
    <Wire d={`M${x} ${y}H${x + 10}M${x + 10} ${y}L${x + 30} ${y - 11}M${x + 30} ${y}H${x + 40}`} />
    <circle cx={x + 10} cy={y} r="2" fill="currentColor" />
  </>
)

/** Source, both contactors, the resistor beside the positive one, the bank, and what draws meanwhile. */
export function PrechargeCircuit({ v }: { v: Values }) {
  const switched = v.school === "switched"
  return (
    <>
      <Terminal x={47} y={60} />
      <Terminal x={47} y={156} />
      <Tag x={47} y={112} at="middle" value={v.source} />
      <Wire d="M50 60H150M190 60H330M50 156H150M190 156H330" />
      <Contact x={150} y={60} />
      <Contact x={150} y={156} />
      <Tag x={170} y={82} at="middle" value="positive" />
      <Tag x={170} y={178} at="middle" value="negative" />
      <Node x={120} y={60} />
      <Node x={262} y={60} />
      <Wire d={switched ? "M120 60V24H136M176 24H196M236 24H262V60" : "M120 60V24H196M236 24H262V60"} />
      {switched && <Contact x={136} y={24} />}
      <Resistor x={196} y={24} />
      <Tag x={216} y={14} at="middle" name={v.resistor} />
      <Tag x={272} y={28} value={v.type} />
      {switched && <Tag x={128} y={14} at="end" value="relay" />}
      <Node x={290} y={60} />
      <Node x={290} y={156} />
      <Wire d="M290 60V96M290 120V156" />
      <Capacitor x={290} y={96} turn={90} polar />
      <rect x="330" y="48" width="60" height="120" fill="none" stroke="currentColor" strokeWidth="1.5" strokeDasharray="4 3" />
      <Tag x={360} y={104} at="middle" name="stage" />
      <Tag x={396} y={80} name="closes" value={v.closes} />
      <Tag
        x={396}
        y={118}
        name={v.time === "never" ? "never there" : "there in"}
        value={v.time === "never" ? `draws: ${v.load}` : v.time}
        tone={v.time === "never" ? "stop" : undefined}
      />
    </>
  )
}
