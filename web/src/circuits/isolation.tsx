import { Tag, Wire } from "./symbols"
import type { Values } from "."

const css = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`

/** An island of one reference potential. */
const Island = ({
  x,
  y,
  width,
  height,
  name,
  value,
}: {
  x: number
  y: number
  width: number
  height: number
  name: string
  value?: string
}) => (
  <g>
    <rect x={x} y={y} width={width} height={height} rx="7" fill={css("sheet")} stroke="currentColor" strokeWidth="1.5" />
    <Tag x={x + width / 2} y={y + (value ? height / 2 - 3 : height / 2 + 4)} at="middle" name={name} value={value} />
  </g>
)

/** A way from island to island: kept by a rated part, or open. */
const Way = ({
  d,
  x,
  y,
  label,
  open,
  at = "middle",
}: {
  d: string
  x: number
  y: number
  label: string
  open: boolean
  at?: "start" | "middle" | "end"
}) => (
  <g style={{ color: css(open ? "stop" : "ink.soft") }}>
    <path d={d} fill="none" stroke="currentColor" strokeWidth={open ? 2.2 : 1.3} strokeDasharray={open ? undefined : "5 3"} />
    <Tag x={x} y={y} at={at} value={label} tone={open ? "stop" : undefined} />
  </g>
)

/** Which side is which, and what crosses: dashed where a rated part keeps them apart, a full red line where nothing does. */
export function IsolationMap({ v }: { v: Values }) {
  const open = new Set((v.open ?? "").split(" "))
  const beyond = Boolean(v.beyond)
  const bare = v.beyond === "source"
  const high = beyond ? { x: 300, name: bare ? "bridge, on the source" : v.gates ? "link and bridge" : "link", value: v.link } : undefined
  return (
    <>
      <Island x={14} y={52} width={118} height={50} name="source side" value={v.source} />
      {high && <Island x={high.x} y={12} width={152} height={44} name={high.name} value={high.value} />}
      <Island x={338} y={96} width={114} height={44} name="socket" value={v.peak} />
      <Wire d="M120 176H340M206 182H254M218 187H242" />
      <Tag x={112} y={180} at="end" name="earth" />
      {high && (
        <>
          {bare ? (
            <>
              <Wire d="M132 62H170V24H300M132 74H184V44H300" />
              <Tag x={218} y={18} at="middle" name="no barrier" />
            </>
          ) : (
            <>
              <Way d="M132 62H170V22H300" x={216} y={16} label="transformer" open={false} />
              <Way d="M132 72H184V38H300" x={242} y={34} label="feedback" open={open.has("link-feedback")} />
              {v.gates && <Way d="M132 80H198V54H300" x={248} y={50} label="gates" open={open.has("bridge-gates")} />}
            </>
          )}
          <Wire d="M376 56V96M398 56V96" />
        </>
      )}
      {!high && <Way d="M132 62H360V96" x={244} y={56} label="transformer" open={false} />}
      {!bare && <Way d="M132 92H232V110H338" x={236} y={104} at="start" label="output sense" open={open.has("output-sense")} />}
      {v.output === "a pole on the source" && <Way d="M132 98H150V132H338" x={200} y={128} at="start" label="a pole tied" open />}
      <Way d="M58 102V148H140V176" x={62} y={144} at="start" label="shut-down input" open={open.has("shut-down-input")} />
      <Way d={`M40 102V168H124`} x={36} y={166} at="end" label="case" open={open.has("case")} />
      <Way
        d="M392 140V176H340"
        x={400}
        y={162}
        at="start"
        label={v.output !== "one pole earthed" ? "no bond" : v.gates && !bare ? "bond, RCD" : "bond"}
        open={bare && open.has("socket") && v.output === "one pole earthed"}
      />
      <Way
        d={open.has("oscilloscope") ? `M${beyond ? 330 : 352} ${beyond ? 56 : 140}V160H280V176` : "M96 102V122H280V176"}
        x={286}
        y={158}
        at="start"
        label={v.clip?.startsWith("nowhere") ? "no probe ground" : "probe ground"}
        open={open.has("oscilloscope")}
      />
    </>
  )
}
