import { Capacitor, Mosfet, Node, Tag, Terminal, Wire } from "./symbols"
import { PushPullCircuit } from "./lowSide"
import type { Values } from "."

/** The primary as what the legs drive, with its start marked. */
const Primary = ({ x, y }: { x: number; y: number }) => (
  <>
    <rect x={x - 10} y={y - 12} width="76" height="24" fill="none" stroke="currentColor" strokeWidth="1.4" strokeDasharray="4 3" />
    <circle cx={x - 3} cy={y - 5} r="2.4" fill="currentColor" />
    <Tag x={x + 32} y={y + 4} at="middle" value="primary" />
  </>
)

const Rails = ({ v }: { v: Values }) => (
  <>
    <Terminal x={40} y={20} />
    <Terminal x={40} y={168} />
    <Tag x={12} y={98} value="input" />
    <Tag x={356} y={44} name={`peak ${v.peak}`} value="rail clamps it" />
    <Tag x={356} y={92} name={`pulse ${v.pulse}`} value={`duty ${v.duty}`} />
    <Tag x={215} y={188} at="middle" value={[v.switch, v.parallel].filter(Boolean).join(", ")} />
  </>
)

const HalfBridge = ({ v }: { v: Values }) => (
  <>
    <Rails v={v} />
    <Wire d="M43 20H300M43 168H300M130 20V46M130 70V118M130 142V168M300 20V32M300 80V108M300 156V168M130 94H172M248 94H300" />
    <Capacitor x={130} y={46} turn={90} polar />
    <Capacitor x={130} y={118} turn={90} polar />
    <Mosfet x={300} y={56} />
    <Mosfet x={300} y={132} />
    <Node x={130} y={94} />
    <Node x={300} y={94} />
    <Primary x={182} y={94} />
    <Tag x={112} y={62} at="end" value="half the bank" />
    <Tag x={112} y={134} at="end" value="half the bank" />
    <Tag x={256} y={44} at="end" name="Q1" />
    <Tag x={256} y={160} at="end" name="Q2" />
  </>
)

const FullBridge = ({ v }: { v: Values }) => (
  <>
    <Rails v={v} />
    <Wire d="M43 20H300M43 168H300M150 20V32M150 80V108M150 156V168M300 20V32M300 80V108M300 156V168M150 94H187M263 94H300" />
    <Mosfet x={150} y={56} />
    <Mosfet x={150} y={132} />
    <Mosfet x={300} y={56} />
    <Mosfet x={300} y={132} />
    <Node x={150} y={94} />
    <Node x={300} y={94} />
    <Primary x={197} y={94} />
    <Tag x={106} y={44} at="end" name="Q1" />
    <Tag x={106} y={160} at="end" name="Q2" />
    <Tag x={260} y={44} at="end" name="Q3" />
    <Tag x={260} y={160} at="end" name="Q4" />
  </>
)

const BY_TOPOLOGY: Record<string, (p: { v: Values }) => React.ReactNode> = {
  "push-pull": PushPullCircuit,
  "half-bridge": HalfBridge,
  "full bridge": FullBridge,
}

/** The front end by its topology. */
export function FrontEndCircuit({ v }: { v: Values }) {
  const Drawn = BY_TOPOLOGY[v.topology ?? ""] ?? PushPullCircuit
  return <Drawn v={v} />
}
