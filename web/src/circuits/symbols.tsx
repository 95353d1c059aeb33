import type { ReactNode } from "react"

/** Circuit symbols after IEC 60617, drawn from (x, y); `turn` rotates them about that point in degrees. */

const LINE = { fill: "none", stroke: "currentColor", strokeWidth: 1.5, strokeLinecap: "round", strokeLinejoin: "round" } as const

const css = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`

interface Placed {
  x: number
  y: number
  turn?: number
}

const Put = ({ x, y, turn = 0, children }: Placed & { children: ReactNode }) => (
  <g transform={`translate(${x} ${y}) rotate(${turn})`}>{children}</g>
)

/** Connections. */
export const Wire = ({ d }: { d: string }) => <path d={d} {...LINE} />

/** A junction. */
export const Node = ({ x, y }: Placed) => <circle cx={x} cy={y} r="2.6" fill="currentColor" />

/** A terminal. */
export const Terminal = ({ x, y }: Placed) => (
  <circle cx={x} cy={y} r="3" fill="var(--chakra-colors-paper)" stroke="currentColor" strokeWidth="1.5" />
)

/** Resistor, 40 long, along x. */
export const Resistor = (p: Placed) => (
  <Put {...p}>
    <path d="M0 0H7M33 0H40M7 -5.5H33V5.5H7Z" {...LINE} />
  </Put>
)

/** Fuse, 40 long: the line runs through. */
export const FuseLink = (p: Placed) => (
  <Put {...p}>
    <path d="M0 0H40M7 -5.5H33V5.5H7Z" {...LINE} />
  </Put>
)

/** Inductor, 48 long, of half circles. */
export const Inductor = ({ core, ...p }: Placed & { core?: boolean }) => (
  <Put {...p}>
    <path d="M0 0H4a5 5 0 0 1 10 0a5 5 0 0 1 10 0a5 5 0 0 1 10 0a5 5 0 0 1 10 0H48" {...LINE} />
    {core && <path d="M6 -9H42" {...LINE} />}
  </Put>
)

/** A winding, 72 long, of four turns. */
export const Winding = (p: Placed) => (
  <Put {...p}>
    <path d="M0 0H4a8 8 0 0 0 16 0a8 8 0 0 0 16 0a8 8 0 0 0 16 0a8 8 0 0 0 16 0H72" {...LINE} />
  </Put>
)

/** A contact that is open, 40 long, along x. */
export const Contact = (p: Placed) => (
  <Put {...p}>
    <path d="M0 0H10L30 -11M30 0H40" {...LINE} />
    <circle cx="10" cy="0" r="2" fill="currentColor" />
  </Put>
)

/** Capacitor, 24 long; `polar` marks the positive plate. */
export const Capacitor = ({ polar, ...p }: Placed & { polar?: boolean }) => (
  <Put {...p}>
    <path d="M0 0H9.5M14.5 0H24M9.5 -11V11M14.5 -11V11" {...LINE} />
    {polar && <path d="M2 -8H8M5 -11V-5" {...LINE} strokeWidth={1.2} />}
  </Put>
)

/** Diode, 32 long, conducting along x. */
export const Diode = (p: Placed) => (
  <Put {...p}>
    <path d="M0 0H32M10 -7L22 0L10 7ZM22 -7V7" {...LINE} fill="var(--chakra-colors-paper)" />
  </Put>
)

/** Source of a steady voltage, 44 across, upright: its line runs on through the circle. */
export const VoltageSource = ({ x, y }: Placed) => (
  <>
    <circle cx={x} cy={y} r="22" fill="var(--chakra-colors-paper)" stroke="currentColor" strokeWidth="1.5" />
    <path d={`M${x} ${y - 22}V${y + 22}`} {...LINE} />
  </>
)

/** Source of alternating voltage: a circle about a period of a sine, 22 from the middle to either end, upright. */
export const AlternatingSource = ({ x, y }: Placed) => (
  <>
    <circle cx={x} cy={y} r="22" fill="var(--chakra-colors-paper)" stroke="currentColor" strokeWidth="1.5" />
    <path d={`M${x - 12} ${y}q6 -14 12 0t12 0`} {...LINE} />
  </>
)

/** Battery of several cells, 36 long; the long plate is positive, at the far end. */
export const Battery = (p: Placed) => (
  <Put {...p}>
    <path d="M0 0H9M9 -6V6M14 -12V12M22 -6V6M27 -12V12M27 0H36" {...LINE} />
    <path d="M14 0H22" {...LINE} strokeDasharray="2 3" />
  </Put>
)

/** N-channel MOSFET with its body diode: drain at (0, −24), source at (0, 24), gate at (−30, 8). */
export const Mosfet = (p: Placed) => (
  <Put {...p}>
    <path d="M0 -24V-12H-14M0 24V12H-14M-14 -15V-9M-14 -3V3M-14 9V15M-14 0H0V12M-19 -12V12M-19 8H-30" {...LINE} />
    <path d="M-13 0L-6 -3.4V3.4Z" fill="currentColor" />
    <path d="M0 -17H12V17H0M12 3L7.5 3 12 -4 16.5 3ZM7.5 -4H16.5" {...LINE} />
  </Put>
)

/** IGBT with its diode: collector at (0, −24), emitter at (0, 24), gate at (−30, 8). */
export const Igbt = (p: Placed) => (
  <Put {...p}>
    <path d="M0 -24V-14L-14 -6M0 24V14L-14 6M-14 -12V12M-19 -12V12M-19 8H-30" {...LINE} />
    <path d="M-1 13.4L-8 12.2L-4.6 6.6Z" fill="currentColor" />
    <path d="M0 -17H12V17H0M12 3L7.5 3 12 -4 16.5 3ZM7.5 -4H16.5" {...LINE} />
  </Put>
)

export type Tone = "ink" | "soft" | "stop" | "copper" | "steel"

const tint = (tone: Tone) => (tone === "ink" ? "currentColor" : css(tone === "soft" ? "ink.soft" : tone))

const MONO = { fontFamily: "var(--chakra-fonts-mono)", fontSize: 12.5 }

/** A name or a value beside a symbol. */
export function Tag({
  x,
  y,
  name,
  value,
  at = "start",
  tone = "ink",
}: Placed & { name?: ReactNode; value?: ReactNode; at?: "start" | "middle" | "end"; tone?: Tone }) {
  return (
    <text x={x} y={y} textAnchor={at} style={{ fontSize: 12.5, fill: tint(tone) }}>
      {name !== undefined && <tspan style={{ fontWeight: 700 }}>{name}</tspan>}
      {value !== undefined && (
        <tspan
          x={x}
          dy={name !== undefined ? 15 : 0}
          style={{ ...MONO, fill: tone === "ink" ? "var(--chakra-colors-ink-soft)" : undefined }}
        >
          {value}
        </tspan>
      )}
    </text>
  )
}

/** A line or an outline that is no conductor: a barrier, a box, an arrow. */
export const Outline = ({
  d,
  tone = "ink",
  dashed,
  width = 1.4,
  fill = "none",
}: {
  d: string
  tone?: Tone
  dashed?: string
  width?: number
  fill?: string
}) => (
  <path
    d={d}
    fill={fill === "none" ? "none" : fill === "ink" ? "currentColor" : css(fill)}
    stroke={tint(tone)}
    strokeWidth={width}
    strokeDasharray={dashed || undefined}
    strokeLinejoin="round"
  />
)
