import { Node, Resistor, Tag, Wire } from "./symbols"
import type { Values } from "."

/** The cut-off: tap with trimmer, comparator against the reference, the resistor that gives it hysteresis. */
export function ProtectionCircuit({ v }: { v: Values }) {
  return (
    <>
      <Wire d="M70 20V30M70 70V92M70 132V142M70 182V188" />
      <Resistor x={70} y={30} turn={90} />
      <Resistor x={70} y={92} turn={90} />
      <Resistor x={70} y={142} turn={90} />
      <Wire d="M82 172L54 152M54 152l7 1M54 152l3 6" />
      <Tag x={70} y={14} at="middle" value="input" />
      <Tag x={84} y={46} name={v.top} />
      <Tag x={84} y={108} name={v.bottom} />
      <Tag x={92} y={158} name={v.trimmer} value={v.turn} />
      <Wire d="M58 188H82M63 191H77M67 194H73" />
      <Node x={70} y={82} />
      <Wire d="M70 82H222M190 112H222" />
      <Wire d="M222 68V126L282 97ZM282 97H330" />
      <Tag x={228} y={87} value="+" />
      <Tag x={228} y={117} value="−" />
      <Tag x={186} y={116} at="end" value="2.5 V" />
      <Node x={190} y={82} />
      <Node x={306} y={97} />
      <Wire d="M190 82V36H228M268 36H306V97" />
      <Resistor x={228} y={36} />
      <Tag x={248} y={24} at="middle" name={v.hold} />
      <Tag x={336} y={84} name="runs above" value={v.restart} />
      <Tag x={336} y={118} name="off below" value={v.cut_off} />
      <Tag x={336} y={150} value={v.band} />
    </>
  )
}
