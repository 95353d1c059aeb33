import { Box } from "@chakra-ui/react"
import { useLayoutEffect, useRef, useState } from "react"

import type { Solution } from "../api/client"
import { LozengeShape } from "../ui/Lozenge"

const HEIGHT = 122
const AXIS = 70
const RIBBON = 42
const EDGE = 64
const LETTER = 7.3
const STOP = "var(--chakra-colors-stop)"
const VALUE = { fontSize: 12, fontFamily: "var(--chakra-fonts-mono)", fill: "var(--chakra-colors-ink-soft)" }

/** The ribbon from source to load, drawn to scale, and the way from block to block. */
export function PowerPath({ solution, chosen, choose }: { solution: Solution; chosen: string; choose: (block: string) => void }) {
  const [width, ref] = useWidth()
  const blocks = solution.blocks.filter((b) => !b.auxiliary)
  const pitch = (width - 2 * EDGE) / Math.max(1, blocks.length - 1)
  const fits = Math.floor(pitch / LETTER)
  const full = Math.max(1e-9, ...blocks.map((b) => b.power_in))
  const thickness = (watts: number) => (RIBBON * watts) / full
  const bottom = AXIS + RIBBON / 2
  const place = (i: number) => EDGE + i * pitch
  // a branch takes its own power out of the ribbon, which goes on behind it
  const behind = (i: number) => (blocks[i]?.given ? (blocks[i + 1]?.power_in ?? 0) : (blocks[i]?.power_out ?? 0))
  const edge = blocks.flatMap((b, i) => [
    `L${place(i)} ${bottom - (RIBBON - thickness(b.given ? behind(i) + b.power_in : b.power_in))}`,
    `L${place(i)} ${bottom - (RIBBON - thickness(behind(i)))}`,
  ])
  const last = blocks.at(-1)
  const live = blocks.filter((b) => b.live).length
  const outline = `M24 ${AXIS - RIBBON / 2}L${width - 24} ${AXIS - RIBBON / 2}L${width - 24} ${bottom - (RIBBON - thickness(last?.power_out ?? 0))}${[...edge].reverse().join("")}L24 ${bottom}Z`
  return (
    <Box ref={ref} className="aside" bg="sheet" overflow="hidden" borderBottom="1px solid" borderColor="hair" data-testid="power-path">
      <svg width={width} height={HEIGHT} role="group" aria-label="power path" style={{ display: "block" }}>
        <path d={outline} fill="var(--chakra-colors-copper-soft)" />
        <path d={`M24 ${AXIS - RIBBON / 2}H${width - 24}`} stroke="var(--chakra-colors-copper)" strokeWidth="1.5" />
        {live > 0 && (
          <g data-testid="live">
            <path d={`M24 ${AXIS - RIBBON / 2}H${live === blocks.length ? width - 24 : place(live - 1)}`} stroke={STOP} strokeWidth="3.5" />
            <text x={place(0) + 30} y={AXIS - 4} style={{ fontSize: 12, fontWeight: 700, fill: STOP }}>
              live mains
            </text>
          </g>
        )}
        {blocks.map((b, i) => {
          const x = place(i)
          const start = bottom - (RIBBON - thickness(behind(i)))
          const strand = Math.max(1, thickness(b.given ? b.power_in : b.loss))
          return (
            <g
              key={b.key}
              role="button"
              tabIndex={0}
              aria-pressed={chosen === b.key}
              aria-description={b.severity ?? undefined}
              data-testid={`block-${b.key}`}
              onClick={() => choose(b.key)}
              onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && choose(b.key)}
              style={{ cursor: "pointer" }}
            >
              <rect x={x - pitch / 2} y="2" width={pitch} height={HEIGHT - 4} fill="transparent" />
              {(b.given || b.loss > 0) && (
                <path
                  d={`M${x} ${start + strand / 2}c16 0 24 4 26 ${b.given ? 34 : 15}`}
                  fill="none"
                  stroke={`var(--chakra-colors-${b.given ? "copper-soft" : "copper"})`}
                  strokeWidth={strand}
                />
              )}
              <LozengeShape x={x} y={AXIS} half={22} level={b.stress} severity={b.severity} chosen={chosen === b.key} label={`${i + 1}`} />
              <text
                x={x}
                y="17"
                textAnchor="middle"
                style={{ fontSize: 14, fontWeight: 700, fill: `var(--chakra-colors-${chosen === b.key ? "copper" : "ink"})` }}
              >
                {b.title}
              </text>
              <text x={x} y="33" textAnchor="middle" style={VALUE}>
                {b.headline.length > fits ? `${b.headline.slice(0, fits - 1)}…` : b.headline}
                <title>{b.headline}</title>
              </text>
              {(b.given || b.loss > 0) && (
                <text x={x + 33 + (b.given ? strand / 2 : 0)} y={bottom + 20} style={VALUE}>
                  {b.given ? `→ ${b.given}` : `−${b.loss_text}`}
                </text>
              )}
            </g>
          )
        })}
      </svg>
    </Box>
  )
}

/** The width of an element, as it changes. */
export function useWidth(): [number, React.RefObject<HTMLDivElement | null>] {
  const ref = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(1280)
  useLayoutEffect(() => {
    if (!ref.current) return
    const fit = (wide: number) => wide > 0 && setWidth(wide)
    fit(ref.current.clientWidth)
    const watch = new ResizeObserver(([entry]) => entry && fit(entry.contentRect.width))
    watch.observe(ref.current)
    return () => watch.disconnect()
  }, [])
  return [width, ref]
}
