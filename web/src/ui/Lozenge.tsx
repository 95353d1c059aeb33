import { useId } from "react"

import type { Severity } from "../api/client"

/** The colour of a severity: the fill of a lozenge, and its text. */
export const FILL: Record<Severity, string> = { stop: "stop.soft", fix: "fix.soft", watch: "steel.soft", note: "steel.soft" }
export const SAID: Record<Severity, string> = { stop: "stop", fix: "fix", watch: "watch", note: "note" }

const css = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`

interface Filled {
  x: number
  y: number
  half: number
  level: number
  severity: Severity | null | undefined
  chosen?: boolean
  label?: string
  type?: number
}

/** A rhombus filled from below to `level`; the product's one motif. Inside an SVG. */
export function LozengeShape({ x, y, half, level, severity, chosen, label, type = 13 }: Filled) {
  const shape = `M${x} ${y - half}L${x + half} ${y}L${x} ${y + half}L${x - half} ${y}Z`
  const clip = useId()
  const outer = half + 7
  const top = y + half - 2 * half * Math.min(1, Math.max(0, level))
  return (
    <g>
      <clipPath id={clip}>
        <rect x={x - half} y={top} width={2 * half} height={2 * half} />
      </clipPath>
      <path d={shape} fill={css("sheet")} />
      <path d={shape} fill={css(FILL[severity ?? "note"])} clipPath={`url(#${clip})`} />
      <path d={shape} fill="none" stroke={css("ink")} strokeWidth="1.6" />
      {chosen && (
        <path
          d={`M${x} ${y - outer}L${x + outer} ${y}L${x} ${y + outer}L${x - outer} ${y}Z`}
          fill="none"
          stroke={css("copper")}
          strokeWidth="2"
        />
      )}
      {label && (
        <text
          x={x}
          y={y + type * 0.35}
          textAnchor="middle"
          style={{ fontSize: type, fontWeight: 700, fill: css("ink"), stroke: css("sheet"), strokeWidth: 3, paintOrder: "stroke" }}
        >
          {label}
        </text>
      )}
    </g>
  )
}

/** A small rhombus before a finding: the worse, the fuller. */
export function Gem({ severity, size = 14 }: { severity: Severity; size?: number }) {
  const fill = { stop: 1, fix: 0.62, watch: 0.38, note: 0 }[severity]
  const top = 15 - 14 * fill
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" aria-label={severity} role="img" style={{ flexShrink: 0 }}>
      <clipPath id={`gem-${severity}`}>
        <rect x="0" y={top} width="16" height="16" />
      </clipPath>
      <path d="M8 1 15 8 8 15 1 8Z" fill={css(SAID[severity])} clipPath={`url(#gem-${severity})`} />
      <path d="M8 1 15 8 8 15 1 8Z" fill="none" stroke={css(SAID[severity])} strokeWidth="1.4" />
    </svg>
  )
}

/** The mark of a pinned or proposed figure. */
export const PinGem = ({ pinned }: { pinned: boolean }) => (
  <svg width="11" height="11" viewBox="0 0 16 16" aria-hidden style={{ flexShrink: 0 }}>
    <path d="M8 1 15 8 8 15 1 8Z" fill={pinned ? css("copper") : "none"} stroke={css(pinned ? "copper" : "ink.soft")} strokeWidth="1.6" />
  </svg>
)
