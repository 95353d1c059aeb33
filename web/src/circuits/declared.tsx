import type { BlockReport, CircuitData } from "../api/client"
import { Battery, Capacitor, Diode, FuseLink, Inductor, Mosfet, Node, Resistor, Tag, Terminal, Wire } from "./symbols"

const SYMBOLS = {
  resistor: Resistor,
  inductor: (p: { x: number; y: number; turn?: number }) => <Inductor {...p} core />,
  capacitor: (p: { x: number; y: number; turn?: number }) => <Capacitor {...p} polar />,
  diode: Diode,
  mosfet: Mosfet,
  battery: Battery,
  fuse: FuseLink,
  load: Resistor,
}

/** A circuit that its stage declares: symbols and wires at their places, with the values of the block's figures beside them. */
export function DeclaredCircuit({ circuit, block }: { circuit: CircuitData; block: BlockReport }) {
  const valueOf = (name: string | undefined) => block.figures.find((f) => f.address === `${block.key}.${name}`)?.text
  return (
    <>
      {circuit.wires.map((d) => (
        <Wire key={d} d={d} />
      ))}
      {circuit.elements.map((e) => {
        const Symbol = SYMBOLS[e.symbol]
        return (
          <g key={e.name}>
            <Symbol x={e.x} y={e.y} turn={e.turn} />
            <Tag x={e.label.x} y={e.label.y} at={e.at} name={e.name} value={valueOf(e.part)} />
          </g>
        )
      })}
      {circuit.labels?.map((l) => (
        <Tag key={`${l.x} ${l.y}`} x={l.x} y={l.y} at={l.at} name={l.name || undefined} value={valueOf(l.part)} />
      ))}
      {circuit.nodes?.map(({ x, y }) => (
        <Node key={`${x} ${y}`} x={x} y={y} />
      ))}
      {circuit.terminals?.map(({ x, y }) => (
        <Terminal key={`${x} ${y}`} x={x} y={y} />
      ))}
    </>
  )
}
