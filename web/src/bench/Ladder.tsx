import { Box } from "@chakra-ui/react"

import type { Chart } from "../api/client"
import { useWidth } from "./PowerPath"

type Rung = NonNullable<Chart["rungs"]>[number]

/** Below this width the parts of a threshold stand in two lines; below the least, all is drawn smaller. */
const ROOMY = 440
const LEAST = 372
const TALL = 258
const AXIS = 74
const SCALE = 112
const BAND = 150
const WORDS = 172
const css = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`
const MONO = { fontFamily: "var(--chakra-fonts-mono)", fontSize: 12.5 }

/** Levels up a scale: landmarks to its left, thresholds to its right, each with the band in which it may lie. */
export function Ladder({ chart }: { chart: Chart }) {
  const [given, ref] = useWidth()
  const wide = Math.max(LEAST, given)
  const narrow = wide < ROOMY
  const rungs = chart.rungs ?? []
  const ends = rungs.flatMap((r) => [r.at, r.low, r.high, r.fresh_low, r.fresh_high, r.back].filter((v) => v != null))
  const least = Math.min(...ends)
  const most = Math.max(...ends)
  const room = (most - least || 1) * 0.06
  const up = (v: number) => TALL - 16 - ((v - least + room) / (most - least + 2 * room)) * (TALL - 32)
  const marks = apart(
    rungs.filter((r) => r.way === "mark"),
    up,
    28,
    16,
  )
  const steps = apart(
    rungs.filter((r) => r.way !== "mark"),
    up,
    narrow ? 44 : 33,
    narrow ? 32 : 20,
  )
  return (
    <Box ref={ref}>
      <svg
        viewBox={`0 0 ${wide} ${TALL}`}
        width="100%"
        role="img"
        aria-label={`${chart.title}: ${rungs.map((r) => `${r.label} ${r.text}`).join(", ")}`}
        data-testid={`ladder-${chart.key}`}
      >
        <path d={`M${SCALE} 8V${TALL - 8}M${SCALE + 10} 8V${TALL - 8}`} stroke={css("ink")} strokeWidth="1.4" />
        {marks.map(([r, y]) => (
          <g key={r.label}>
            <path d={`M${AXIS + 14} ${y}L${SCALE - 12} ${up(r.at)}H${SCALE + 10}`} fill="none" stroke={css("ink.soft")} />
            <path d={`M${SCALE + 10} ${up(r.at)}H${wide}`} stroke={css("hair")} strokeDasharray="3 4" />
            <text x={AXIS + 10} y={y - 1} textAnchor="end" style={{ fontSize: 12.5, fill: css("ink") }}>
              {r.label}
            </text>
            <text x={AXIS + 10} y={y + 11} textAnchor="end" style={{ ...MONO, fill: css("ink.soft") }}>
              {r.text}
            </text>
          </g>
        ))}
        {steps.map(([r, y]) => (
          <Threshold key={r.label} rung={r} y={y} up={up} narrow={narrow} />
        ))}
      </svg>
    </Box>
  )
}

function Threshold({ rung: r, y, up, narrow }: { rung: Rung; y: number; up: (v: number) => number; narrow: boolean }) {
  const tone = css(r.severity ?? "copper")
  const box = (low: number, high: number, opacity: number) => (
    <rect x={SCALE + 10} y={up(high)} width={BAND - SCALE - 10} height={Math.max(2, up(low) - up(high))} fill={tone} opacity={opacity} />
  )
  const tip = r.way === "down" ? 5 : -5
  return (
    <g>
      {r.fresh_low != null && r.fresh_high != null && box(r.fresh_low, r.fresh_high, 0.22)}
      {r.low != null && r.high != null && box(r.low, r.high, 0.85)}
      {r.back != null && (
        <path
          d={`M${SCALE + 22} ${up(r.at)}V${up(r.back)}m-4 ${tip}l4 ${-tip}l4 ${tip}`}
          fill="none"
          stroke={css("steel")}
          strokeWidth="1.5"
        />
      )}
      <path d={`M${BAND} ${up(r.at)}L${WORDS - 4} ${y}`} stroke={tone} />
      <text x={WORDS} y={y} style={{ fontSize: 12.5, fill: css("ink") }}>
        <tspan style={{ fontWeight: 700 }}>{r.label}</tspan>
        <tspan dx="7" style={{ ...MONO, fontSize: 12.5 }}>{`${r.way === "down" ? "↓" : "↑"} ${r.text}`}</tspan>
      </text>
      {(narrow ? (r.remark ?? "").split(", ") : [r.remark]).map((line, i) => (
        <text key={i} x={WORDS} y={y + 14 + 14 * i} style={{ ...MONO, fontSize: 12.5, fill: css("ink.soft") }}>
          {line}
        </text>
      ))}
    </g>
  )
}

/** Where the words of each rung stand: at its level, pushed apart where they would touch, from the top down. */
function apart(rungs: Rung[], up: (v: number) => number, pitch: number, foot: number): [Rung, number][] {
  const sorted = [...rungs].sort((a, b) => b.at - a.at)
  const placed: number[] = []
  sorted.forEach((r, i) => placed.push(Math.max(up(r.at), i ? placed[i - 1]! + pitch : 12)))
  for (let i = placed.length - 1, floor = TALL - foot; i >= 0; i--, floor -= pitch) placed[i] = Math.min(placed[i]!, floor)
  return sorted.map((r, i) => [r, placed[i]!])
}
