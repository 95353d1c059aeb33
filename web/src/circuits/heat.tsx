import { Tag, Wire } from "./symbols"
import type { Values } from "."

const css = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`

/** A device on its pad and heat-sink in the case: what carries the heat out, and what keeps the voltage in. */
export function HeatPath({ v }: { v: Values }) {
  return (
    <>
      <rect
        x="20"
        y="16"
        width="290"
        height="164"
        rx="4"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.6"
        strokeDasharray={v.case === "closed" ? undefined : "30 6"}
      />
      <Tag x={26} y={34} name={v.case} value={`+${v.rise} above ${v.room}`} />
      <rect x="110" y="66" width="84" height="24" fill={css("copper.soft")} stroke="currentColor" strokeWidth="1.4" />
      <Tag x={152} y={82} at="middle" value="device" />
      <rect
        x="98"
        y="90"
        width="108"
        height="8"
        fill={v.pad?.startsWith("none") ? "none" : css("steel.soft")}
        stroke="currentColor"
        strokeWidth="1"
      />
      <Wire d="M80 98H224V116H80ZM92 116V156M112 116V156M132 116V156M152 116V156M172 116V156M192 116V156M212 116V156" />
      <Tag x={202} y={72} name={v.pad} />
      <Tag x={324} y={118} name="heat-sinks" value={v.sink} />
      {v.sink?.startsWith("earthed") && <Wire d="M224 107H290V166M278 166H302M283 170H297M288 174H292" />}
      {v.case === "blown through" && (
        <g stroke={css("steel")} fill="none" strokeWidth="1.6">
          <path d="M30 146c14 -8 22 8 36 0M30 158c14 -8 22 8 36 0M244 146c14 -8 22 8 36 0M244 158c14 -8 22 8 36 0" />
        </g>
      )}
      <Tag x={324} y={40} name="made inside" value={v.inside} />
      <Tag x={324} y={78} name="pad must stand" value={v.proof} />
      <Tag x={324} y={156} name="compound" value={v.compound} />
    </>
  )
}
