import { Box } from "@chakra-ui/react"
import { useCallback, useEffect, useRef } from "react"

import { shade } from "../theme"
import { download } from "../ui/download"
import { columnsOf, extremes, line, place, round, scale, ticks, type Drawn, type Trace } from "./record"

export const TONES = ["ink", "copper", "steel", "fix"] as const
const LEFT = 58
const BOTTOM = 24
const HEAD = 18
const FONT = "11px 'Atkinson Hyperlegible Mono Variable', monospace"
const NARROWEST = 4e-7

export interface MarkAt {
  at: number
  label: string
  tone: string
}

export interface Span {
  first: number
  last: number
}

interface Props {
  whole: Drawn
  /** A part of the record seen more closely, drawn where the window lies within it. */
  close: Drawn | undefined
  names: readonly string[]
  reference: Drawn | undefined
  marks: readonly MarkAt[]
  /** A level across every lane of a unit. */
  level: { value: number; unit: string; label: string } | undefined
  window: Span
  settle: (window: Span) => void
  pick: (at: number) => void
}

interface Pen {
  text: (words: string, x: number, y: number, tone: string, align: CanvasTextAlign) => void
  /** A line through points, x and y in turn. */
  path: (points: ArrayLike<number>, tone: string, width: number, dash?: readonly number[]) => void
}

/** Up to four traces, each in a lane of its own; drag to pan, turn the wheel to zoom, click for a cursor. */
export function Traces({ whole, close, names, reference, marks, level, window, settle, pick }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const span = useRef(window)
  const asked = useRef(0)
  const later = useRef<ReturnType<typeof setTimeout>>(undefined)
  const drag = useRef<{ x: number; from: Span; moved: boolean }>(undefined)

  const paint = useCallback(
    (pen: Pen, width: number, height: number) => {
      const { first, last } = span.current
      const drawn = close && close.first <= first + 1e-12 && close.last >= last - 1e-12 ? close : whole
      const lane = (height - BOTTOM) / Math.max(1, names.length)
      const across = (t: number) => LEFT + ((t - first) / (last - first)) * (width - LEFT - 8)
      const wide = Math.max(50, Math.round(width - LEFT - 8))
      const columns = columnsOf(drawn, first, last, wide)
      const others = reference && columnsOf(reference, first, last, wide)
      const [by, unit] = scale(Math.max(Math.abs(first), Math.abs(last)), "s")
      for (const t of ticks(first, last, Math.max(3, (width - LEFT) / 110))) {
        pen.path([across(t), HEAD, across(t), height - BOTTOM], "faint", 1)
        const digits = Math.max(0, Math.ceil(-Math.log10((last - first) / by / 8)))
        pen.text((t / by).toFixed(Math.min(9, digits)), Math.min(across(t), width - 14), height - 8, "ink.soft", "center")
      }
      pen.text(unit, LEFT - 16, height - 8, "ink.soft", "right")
      names.forEach((name, n) => {
        const trace = drawn.traces.get(name)
        if (!trace) return
        const top = n * lane + HEAD
        const tall = lane - HEAD - 6
        const beside = reference?.traces.get(name)
        const [low, high] = round(spanned(drawn, trace, first, last, reference && beside ? [reference, beside] : undefined))
        const up = (v: number) => top + tall - ((v - low) / (high - low)) * tall
        const [size, called] = scale(Math.max(Math.abs(low), Math.abs(high)), trace.unit)
        for (const v of ticks(low, high, Math.max(3, tall / 28))) {
          pen.path([LEFT, up(v), width - 8, up(v)], v === 0 ? "hair" : "faint", 1)
          pen.text(`${Number((v / size).toPrecision(6))}`, LEFT - 6, up(v) + 4, "ink.soft", "right")
        }
        pen.text(`${trace.label}, ${called}`, LEFT + 4, top - 5, TONES[n] ?? "ink", "left")
        if (level && level.unit === trace.unit && name !== "source" && level.value < high) {
          pen.path([LEFT, up(level.value), width - 8, up(level.value)], "stop", 1.2, [5, 4])
          pen.text(level.label, width - 12, up(level.value) - 4, "stop", "right")
        }
        if (reference && beside && others) pen.path(line(reference, beside, others, across, up), "hair", 1)
        pen.path(line(drawn, trace, columns, across, up), TONES[n] ?? "ink", 1)
      })
      for (const m of marks)
        if (m.at >= first && m.at <= last) {
          pen.path([across(m.at), HEAD - 4, across(m.at), height - BOTTOM], m.tone, 1.2, [4, 3])
          pen.text(m.label, across(m.at), HEAD - 7, m.tone, "center")
        }
    },
    [whole, close, names, reference, marks, level],
  )

  const draw = useCallback(() => {
    cancelAnimationFrame(asked.current)
    asked.current = requestAnimationFrame(() => {
      const board = canvas.current
      const context = board?.getContext("2d")
      if (!board || !context) return
      const began = performance.now()
      const ratio = devicePixelRatio
      const { clientWidth: width, clientHeight: height } = board
      if (board.width !== Math.round(width * ratio) || board.height !== Math.round(height * ratio)) {
        board.width = Math.round(width * ratio)
        board.height = Math.round(height * ratio)
      }
      context.setTransform(ratio, 0, 0, ratio, 0, 0)
      context.clearRect(0, 0, width, height)
      paint(onCanvas(context), width, height)
      board.dataset.frame = (performance.now() - began).toFixed(2)
      board.dataset.first = String(span.current.first)
      board.dataset.last = String(span.current.last)
    })
  }, [paint])

  useEffect(() => {
    // what the hand still moves is not pulled back by an answer to where it was
    if (!later.current && !drag.current) span.current = window
  }, [window])
  useEffect(() => () => clearTimeout(later.current), [])
  useEffect(() => {
    draw()
    const board = canvas.current
    const watch = new ResizeObserver(draw)
    if (board) watch.observe(board)
    addEventListener("rhombos.mode", draw)
    return () => {
      watch.disconnect()
      removeEventListener("rhombos.mode", draw)
    }
  }, [draw, window])

  /** Move the window at once; tell the others when it has come to rest. */
  const move = useCallback(
    (first: number, last: number) => {
      const wide = Math.min(Math.max(last - first, NARROWEST), whole.last - whole.first)
      const begin = Math.min(Math.max(first, whole.first), whole.last - wide)
      span.current = { first: begin, last: begin + wide }
      draw()
      clearTimeout(later.current)
      later.current = setTimeout(() => {
        later.current = undefined
        settle(span.current)
      }, 180)
    },
    [whole, draw, settle],
  )
  const at = (x: number) => {
    const width = (canvas.current?.clientWidth ?? 1) - LEFT - 8
    return span.current.first + ((x - LEFT) / width) * (span.current.last - span.current.first)
  }
  const zoom = useCallback(
    (about: number, by: number) => {
      const { first, last } = span.current
      move(about - (about - first) * by, about + (last - about) * by)
    },
    [move],
  )

  useEffect(() => {
    const board = canvas.current
    if (!board) return
    const wheel = (event: WheelEvent) => {
      event.preventDefault()
      zoom(at(event.offsetX), 1.2 ** Math.sign(event.deltaY))
    }
    board.addEventListener("wheel", wheel, { passive: false })
    return () => board.removeEventListener("wheel", wheel)
  }, [zoom])

  const keys = (event: React.KeyboardEvent) => {
    const { first, last } = span.current
    const by = (last - first) / 10
    const does: Record<string, () => void> = {
      ArrowLeft: () => move(first - by, last - by),
      ArrowRight: () => move(first + by, last + by),
      "+": () => zoom((first + last) / 2, 1 / 1.5),
      "-": () => zoom((first + last) / 2, 1.5),
    }
    const found = does[event.key]
    if (!found) return
    event.preventDefault()
    event.stopPropagation()
    found()
  }

  const keep = () => {
    const board = canvas.current
    if (!board) return
    const [body, pen] = onPaper()
    paint(pen, board.clientWidth, board.clientHeight)
    download(
      new Blob(
        [
          `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${board.clientWidth} ${board.clientHeight}" style="background:${shade("paper")}">${body.join("")}</svg>`,
        ],
        { type: "image/svg+xml" },
      ),
      "scope.svg",
    )
  }

  return (
    <Box position="relative" flex="1" minH="240px">
      <canvas
        ref={canvas}
        style={{ position: "absolute", inset: 0, width: "100%", height: "100%", cursor: "crosshair", touchAction: "none" }}
        role="img"
        aria-label={`traces: ${names.join(", ")}; drag to pan, wheel or plus and minus to zoom, click for a cursor`}
        tabIndex={0}
        data-testid="traces"
        data-names={names.join(" ")}
        onKeyDown={keys}
        onDoubleClick={() => move(whole.first, whole.last)}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          drag.current = { x: e.nativeEvent.offsetX, from: span.current, moved: false }
        }}
        onPointerMove={(e) => {
          const held = drag.current
          if (!held || (!held.moved && Math.abs(e.nativeEvent.offsetX - held.x) < 4)) return
          held.moved = true
          const by = ((held.x - e.nativeEvent.offsetX) / (e.currentTarget.clientWidth - LEFT - 8)) * (held.from.last - held.from.first)
          move(held.from.first + by, held.from.last + by)
        }}
        onPointerUp={(e) => {
          if (drag.current && !drag.current.moved && e.nativeEvent.offsetX > LEFT) pick(at(e.nativeEvent.offsetX))
          drag.current = undefined
        }}
        onPointerCancel={() => (drag.current = undefined)}
      />
      <button
        onClick={keep}
        style={{ position: "absolute", right: 6, top: 0, fontSize: 12, color: "var(--chakra-colors-ink-soft)", cursor: "pointer" }}
        className="screen-only"
        data-testid="traces-svg"
      >
        SVG
      </button>
    </Box>
  )
}

/** Least and most of a trace in a window, its reference beside it. */
function spanned(drawn: Drawn, trace: Trace, first: number, last: number, beside: [Drawn, Trace] | undefined): [number, number] {
  const of = (d: Drawn, t: Trace) => {
    const begin = Math.max(0, place(d.time, first) - 1)
    return extremes(t, begin, Math.max(begin + 1, Math.min(d.time.length, place(d.time, last) + 1)))
  }
  const [least, most] = of(drawn, trace)
  const [low, high] = beside ? of(...beside) : [least, most]
  const swing = Math.max(most, high) - Math.min(least, low)
  const floor = Math.min(least, low)
  // a trace that lies all on one side of zero and swings much is shown from zero
  return [floor > 0 && swing > 0.5 * Math.max(most, high) ? 0 : floor, Math.max(most, high)]
}

function onCanvas(context: CanvasRenderingContext2D): Pen {
  const tones = new Map<string, string>()
  const tone = (name: string) => tones.get(name) ?? (tones.set(name, shade(name)), tones.get(name)!)
  context.font = FONT
  context.lineJoin = "round"
  return {
    text: (words, x, y, name, align) => {
      context.fillStyle = tone(name)
      context.textAlign = align
      context.fillText(words, x, y)
    },
    path: (points, name, width, dash = []) => {
      context.strokeStyle = tone(name)
      context.lineWidth = width
      context.setLineDash([...dash])
      context.beginPath()
      context.moveTo(points[0]!, points[1]!)
      for (let i = 2; i < points.length; i += 2) context.lineTo(points[i]!, points[i + 1]!)
      context.stroke()
    },
  }
}

const ANCHOR: Record<string, string> = { left: "start", center: "middle", right: "end" }

/** The same strokes as SVG. */
function onPaper(): [string[], Pen] {
  const body: string[] = []
  const pen: Pen = {
    text: (words, x, y, name, align) =>
      body.push(
        `<text x="${x.toFixed(1)}" y="${y.toFixed(1)}" text-anchor="${ANCHOR[align]}" fill="${shade(name)}" font-size="11" font-family="monospace">${words}</text>`,
      ),
    path: (points, name, width, dash = []) =>
      body.push(
        `<polyline fill="none" stroke="${shade(name)}" stroke-width="${width}" stroke-dasharray="${dash.join(" ")}" points="${Array.from(points, (p) => p.toFixed(1)).join(" ")}"/>`,
      ),
  }
  return [body, pen]
}
