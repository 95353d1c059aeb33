import { Capacitor, Node, Resistor, Tag, Terminal, Wire } from "./symbols"
import type { Values } from "."

/** Timing, amplifier and both outputs on the source's side; the link's divider beyond the barrier. */
export function ControllerCircuit({ v }: { v: Values }) {
  const zener = Boolean(v.zeners)
  const bare = v.feedback === "bare divider"
  return (
    <>
      <rect x="130" y="30" width="136" height="132" fill="none" stroke="currentColor" strokeWidth="1.5" />
      <Tag x={198} y={52} at="middle" name="controller" value={`outputs ${v.output}`} />
      <Wire d="M130 70H100M100 70V76M100 116V124M100 148V172M60 172H300M130 140H112" />
      <Resistor x={100} y={76} turn={90} />
      <Capacitor x={100} y={124} turn={90} />
      <Node x={100} y={70} />
      <Tag x={84} y={88} at="end" name={v.timing} value={v.trimmer} />
      <Tag x={84} y={140} at="end" name={v.capacitor} />
      <Tag x={62} y={36} at="middle" name={v.oscillator} value="oscillator" />
      <Terminal x={60} y={172} />
      <Wire d="M266 56H286M266 76H286" />
      <path d="m280 52 6 4-6 4M280 72l6 4-6 4" fill="none" stroke="currentColor" strokeWidth="1.4" />
      <Tag x={276} y={46} value="gates" />
      <Tag x={198} y={150} at="middle" value={`trips at ${v.trip}`} />
      {!bare && <path d="M318 8V184" stroke="var(--chakra-colors-stop)" strokeWidth="1.4" strokeDasharray="6 4" />}
      <Wire d={bare ? "M266 118H388" : "M266 118H296M340 118H388"} />
      {!bare && (
        <>
          <rect x="296" y="104" width="44" height="28" fill="var(--chakra-colors-paper)" stroke="currentColor" strokeWidth="1.4" />
          <Tag x={318} y={122} at="middle" value="opto" />
        </>
      )}
      <Terminal x={388} y={20} />
      <Wire d="M388 23V46M388 86V126M388 166V180" />
      <Resistor x={388} y={46} turn={90} />
      {!zener && <Resistor x={388} y={126} turn={90} />}
      {zener && <Wire d="M388 126V166" />}
      <Node x={388} y={118} />
      <Tag x={404} y={26} name={v.setpoint} value="link" />
      <Tag x={404} y={66} name={zener ? "zeners" : v["@r_top"]} value={zener ? v.zeners : v.top} />
      {!zener && <Tag x={404} y={146} name={v["@r_bottom"]} value={v.bottom} />}
      <Tag x={326} y={180} value={bare ? "" : "barrier"} />
    </>
  )
}
