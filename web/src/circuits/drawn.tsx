import type { DrawingData } from "../api/client"
import {
  AlternatingSource,
  Battery,
  Capacitor,
  Contact,
  Diode,
  FuseLink,
  Igbt,
  Inductor,
  Mosfet,
  Node,
  Outline,
  Resistor,
  Tag,
  Terminal,
  VoltageSource,
  Winding,
  Wire,
} from "./symbols"

interface Placed {
  x: number
  y: number
  turn?: number
}

const SYMBOLS = {
  resistor: Resistor,
  inductor: Inductor,
  choke: (p: Placed) => <Inductor {...p} core />,
  winding: Winding,
  capacitor: Capacitor,
  electrolytic: (p: Placed) => <Capacitor {...p} polar />,
  diode: Diode,
  mosfet: Mosfet,
  igbt: Igbt,
  battery: Battery,
  supply: VoltageSource,
  alternating: AlternatingSource,
  fuse: FuseLink,
  contact: Contact,
  load: Resistor,
}

/** A circuit as its stage says it: symbols, wires, shapes and words at their places. */
export function DrawnCircuit({ drawing }: { drawing: DrawingData }) {
  return (
    <>
      {drawing.shapes.map((s) => (
        <Outline key={s.d} {...s} />
      ))}
      {drawing.wires.map((d) => (
        <Wire key={d} d={d} />
      ))}
      {drawing.symbols.map(({ symbol, x, y, turn, mirrored }) => {
        const Symbol = SYMBOLS[symbol]
        return mirrored ? (
          <g key={`${symbol} ${x} ${y}`} transform={`translate(${x} ${y}) scale(-1 1)`}>
            <Symbol x={0} y={0} turn={turn} />
          </g>
        ) : (
          <Symbol key={`${symbol} ${x} ${y}`} x={x} y={y} turn={turn} />
        )
      })}
      {drawing.nodes.map(({ x, y }) => (
        <Node key={`${x} ${y}`} x={x} y={y} />
      ))}
      {drawing.terminals.map(({ x, y }) => (
        <Terminal key={`${x} ${y}`} x={x} y={y} />
      ))}
      {drawing.texts.map(({ x, y, at, name, value, tone }) => (
        <Tag key={`${x} ${y}`} x={x} y={y} at={at} name={name || undefined} value={value || undefined} tone={tone} />
      ))}
    </>
  )
}

/** The way of the current in one interval, drawn over the circuit. */
export const CurrentPath = ({ path, d }: { path: string; d: string }) => (
  <g data-testid="current-path" data-path={path}>
    <path d={d} fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="5" strokeLinejoin="round" opacity="0.45" />
    <path d={d} fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="2" strokeDasharray="9 7" strokeLinejoin="round">
      <animate attributeName="stroke-dashoffset" from="16" to="0" dur="0.8s" repeatCount="indefinite" />
    </path>
  </g>
)
