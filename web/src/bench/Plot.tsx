import { Box, Flex, Text } from "@chakra-ui/react"
import { LineChart, BarChart, ScatterChart } from "echarts/charts"
import { GridComponent, MarkLineComponent, TooltipComponent } from "echarts/components"
import * as echarts from "echarts/core"
import { SVGRenderer } from "echarts/renderers"
import { useEffect, useRef, useState } from "react"

import type { Chart } from "../api/client"
import { Ladder } from "./Ladder"
import { shade } from "../theme"
import { Quiet } from "../ui/Page"
import { download } from "../ui/download"

echarts.use([LineChart, BarChart, ScatterChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer])

/** Two pictures with their captions fill the column of an 800-pixel screen. */
const HEIGHT = "clamp(150px, calc((100dvh - 455px) / 2), 280px)"

type Series = NonNullable<Chart["series"]>[number]
const TONE: Record<string, string> = {
  main: "ink",
  second: "steel",
  third: "copper",
  faint: "steel.soft",
  rating: "stop",
  house: "fix",
  here: "copper",
}
const tone = (role: string | undefined) => shade(TONE[role ?? "main"] ?? "ink")

/** One picture with its title, key and caption; it can be kept as SVG. `pick` is told where along it a person clicks. */
export function Plot({ chart, pick }: { chart: Chart; pick?: (at: string) => void }) {
  const holder = useRef<HTMLDivElement>(null)
  return (
    <Box as="figure" mb="3" data-testid={`chart-${chart.key}`}>
      <Flex align="baseline" columnGap="3" wrap="wrap">
        <Text as="figcaption" fontWeight="700" fontSize="sm">
          {chart.title}
        </Text>
        {!chart.rows?.length && (
          <Quiet ml="auto" fontSize="12px" onClick={() => save(holder.current, chart)} className="screen-only">
            SVG
          </Quiet>
        )}
        {(chart.series?.length ?? 0) > 1 && (
          <Flex columnGap="3" wrap="wrap" flexBasis="100%">
            {chart.series?.map((s) => (
              <KeyEntry key={s.name} series={s} />
            ))}
          </Flex>
        )}
      </Flex>
      <Box ref={holder}>
        <Drawn chart={chart} pick={pick} />
      </Box>
      <Text fontSize="sm" color="ink.soft" lineHeight="1.35">
        {chart.remark}
      </Text>
    </Box>
  )
}

function Drawn({ chart, pick }: { chart: Chart; pick?: (at: string) => void }) {
  if (chart.rows?.length) return <Listed rows={chart.rows} />
  if (chart.rungs?.length) return <Ladder chart={chart} />
  return chart.boxes?.length ? <Scaled chart={chart} /> : <Curves chart={chart} pick={pick} />
}

/** A picture that is a table: the first row names the columns. */
const Listed = ({ rows }: { rows: readonly (readonly string[])[] }) => (
  <Box
    as="table"
    w="100%"
    mt="1"
    fontSize="sm"
    css={{
      "& td": { padding: "3px 10px 3px 0", verticalAlign: "top" },
      "& td:first-of-type": { whiteSpace: "nowrap", paddingRight: "16px" },
      "& tr": { borderBottom: "1px solid var(--chakra-colors-faint)" },
      "& tr:first-of-type td": { fontWeight: 700, fontFamily: "inherit" },
    }}
  >
    <tbody>
      {rows.map((row, n) => (
        <tr key={n}>
          {row.map((text, i) => (
            <td key={i}>{text}</td>
          ))}
        </tr>
      ))}
    </tbody>
  </Box>
)

const KeyEntry = ({ series }: { series: Series }) => (
  <Flex align="center" gap="1" fontSize="12px" color="ink.soft">
    <Box w="14px" h="2.5px" bg={TONE[series.role ?? "main"]} />
    {series.name}
  </Flex>
)

function save(holder: HTMLDivElement | null, chart: Chart) {
  const svg = holder?.querySelector("svg")
  if (!svg) return
  const copy = svg.cloneNode(true) as SVGElement
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg")
  const style = getComputedStyle(document.querySelector(".rhombos") ?? document.documentElement)
  const text = copy.outerHTML.replace(/var\((--[\w-]+)\)/g, (_, name: string) => style.getPropertyValue(name).trim())
  download(new Blob([text], { type: "image/svg+xml" }), `${chart.key}.svg`)
}

function Curves({ chart, pick }: { chart: Chart; pick?: (at: string) => void }) {
  const ref = useRef<HTMLDivElement>(null)
  const told = useRef(pick)
  told.current = pick
  const [mode, setMode] = useState(0)
  useEffect(() => {
    const again = () => setMode((n) => n + 1)
    addEventListener("rhombos.mode", again)
    return () => removeEventListener("rhombos.mode", again)
  }, [])
  useEffect(() => {
    if (!ref.current) return
    const drawn = echarts.init(ref.current, undefined, { renderer: "svg" })
    drawn.setOption(option(chart))
    drawn.getZr().on("click", ({ offsetX, offsetY }) => {
      if (drawn.containPixel("grid", [offsetX, offsetY]))
        told.current?.(`${drawn.convertFromPixel({ xAxisIndex: 0 }, offsetX)} ${chart.x?.unit}`)
    })
    const watch = new ResizeObserver(() => drawn.resize())
    watch.observe(ref.current)
    return () => {
      watch.disconnect()
      drawn.dispose()
    }
  }, [chart, mode])
  return <Box ref={ref} h={HEIGHT} role="img" aria-label={`${chart.title}: ${chart.remark ?? ""}`} />
}

type Dots = NonNullable<Chart["dots"]>
const SIDES = { right: [16, 0], left: [-16, 0], top: [0, 13], bottom: [0, -13] } as const
const WIDE = 240
const HIGH = 110

/** On which side of each mark its name stands freest of other marks and of the names before it; in pixels of a usual picture. */
function sides(dots: Dots) {
  const span = (of: (d: Dots[number]) => number) => Math.max(...dots.map(of)) - Math.min(...dots.map(of)) || 1
  const [wide, high] = [span((d) => d.x), span((d) => d.y)]
  const taken = dots.map((d): [number, number] => [(WIDE * d.x) / wide, (HIGH * d.y) / high])
  return dots.map((_, own) => {
    const [x, y] = taken[own]!
    const places = Object.entries(SIDES).map(([side, [right, up]]) => {
      const place: [number, number] = [x + right, y + up]
      const free = Math.min(...taken.filter((_, i) => i !== own).map(([a, b]) => Math.hypot(a - place[0], b - place[1])))
      return { side, place, free }
    })
    const best = places.reduce((one, other) => (other.free > one.free + 4 ? other : one))
    taken.push(best.place)
    return best.side
  })
}

function option(chart: Chart): echarts.EChartsCoreOption {
  const soft = shade("ink.soft")
  const mono = "Atkinson Hyperlegible Mono Variable, monospace"
  const text = { color: soft, fontFamily: mono, fontSize: 12 }
  const axis = (a: Chart["x"], upright: boolean) => ({
    type: a?.log ? "log" : "value",
    name: upright ? [a?.unit, a?.label].filter(Boolean).join(" ") : [a?.label, a?.unit].filter(Boolean).join(", "),
    nameLocation: upright ? "end" : "middle",
    nameGap: upright ? 8 : 24,
    nameTextStyle: { ...text, align: upright ? "left" : "center", padding: upright ? [0, 0, 0, -30] : 0 },
    min: a?.low ?? (a?.log ? "dataMin" : undefined),
    max: a?.high ?? (a?.log ? "dataMax" : undefined),
    splitNumber: upright ? 4 : 5,
    scale: !upright,
    ...(a?.step ? { interval: a.step } : {}),
    axisLabel: {
      ...text,
      hideOverlap: true,
      showMinLabel: a?.low_told,
      showMaxLabel: a?.high_told,
      ...(a?.names?.length ? { formatter: (v: number) => a.names?.[v] ?? "" } : {}),
    },
    ...(a?.names?.length ? { interval: 1 } : {}),
    axisLine: { show: !upright, lineStyle: { color: shade("hair") }, onZero: false },
    axisTick: { show: false },
    splitLine: { show: upright, lineStyle: { color: shade("faint") } },
  })
  const name = (role: string | undefined, label: string, upright: boolean | undefined) => ({
    formatter: label,
    position: role === "rating" || upright ? "insideEndTop" : "insideEndBottom",
    color: tone(role),
    fontSize: 12,
    fontFamily: mono,
    backgroundColor: shade("paper"),
    padding: [1, 2],
  })
  const marks = {
    silent: true,
    symbol: "none",
    data: (chart.marks ?? []).map((m) => ({
      ...(m.upright ? { xAxis: m.at } : { yAxis: m.at }),
      lineStyle: { color: tone(m.role), type: m.role === "rating" ? "solid" : "dashed", width: 1.3 },
      label: { ...name(m.role, m.label, m.upright), ...(m.upright ? { position: "end", distance: 4 } : {}) },
    })),
  }
  const crowded = (chart.dots?.length ?? 0) > 5
  const beside = crowded ? sides(chart.dots ?? []) : []
  const unit = chart.y?.unit || chart.y?.label || ""
  return {
    animation: false,
    grid: { left: 46, right: 14, top: 24, bottom: 38 },
    tooltip: {
      trigger: "axis",
      confine: true,
      textStyle: { fontFamily: mono, fontSize: 12, color: shade("ink") },
      backgroundColor: shade("sheet"),
      borderColor: shade("hair"),
      axisPointer: { lineStyle: { color: shade("hair") } },
      valueFormatter: (v: unknown) => `${String(v)} ${unit}`,
    },
    xAxis: axis(chart.x, false),
    yAxis: axis(chart.y, true),
    series: [
      ...(chart.series ?? []).map((s, i) => ({
        type: s.kind === "bars" || s.kind === "sticks" ? "bar" : "line",
        name: s.name,
        step: s.kind === "steps" ? "end" : undefined,
        data: s.x.map((x, j) => [x, s.y[j]]),
        showSymbol: false,
        barWidth: s.kind === "sticks" ? 2.5 : 26,
        large: false,
        lineStyle: { width: s.role === "faint" ? 1 : 1.8, color: tone(s.role) },
        itemStyle: { color: tone(s.kind === "bars" || s.kind === "sticks" ? "second" : s.role) },
        ...(i === 0 ? { markLine: marks } : {}),
      })),
      {
        type: "scatter",
        data: (chart.dots ?? []).map((d, i) => ({
          value: [d.x, d.y],
          symbolSize: d.size,
          itemStyle: { color: tone(d.role), borderColor: shade("ink"), borderWidth: d.role === "faint" ? 0.5 : 0 },
          label: {
            formatter: d.label,
            color: d.role === "faint" ? soft : tone(d.role),
            ...(crowded ? { position: beside[i], offset: [0, 0] } : {}),
          },
        })),
        symbol: "diamond",
        tooltip: { show: false },
        label: {
          show: true,
          position: "right",
          fontFamily: mono,
          fontSize: 12,
          fontWeight: 600,
          offset: [2, 11],
          backgroundColor: crowded ? undefined : shade("paper"),
          padding: crowded ? 0 : [1, 3],
          distance: crowded ? 3 : 5,
        },
        labelLayout: { moveOverlap: "shiftY" },
        z: 5,
      },
    ],
  }
}

const FILL: Record<string, string> = {
  core: "faint",
  window: "sheet",
  primary: "copper.soft",
  secondary: "steel.soft",
  tape: "hair",
  gap: "faint",
}
const css = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`

/** A drawing to scale: rectangles and wires in millimetres, from the bottom up. */
function Scaled({ chart }: { chart: Chart }) {
  const boxes = chart.boxes ?? []
  const frame = boxes[0]
  if (!frame) return null
  const tallest = Math.max(...boxes.map((b) => b.y + b.height))
  const pad = frame.width * 0.02
  return (
    <svg
      width="100%"
      style={{ maxHeight: HEIGHT }}
      viewBox={`${-pad} ${-pad} ${frame.width + 2 * pad} ${tallest + 2 * pad}`}
      role="img"
      aria-label={`${chart.title}: ${chart.remark ?? ""}`}
    >
      {boxes.map((b, i) => {
        const paint = {
          fill: css(FILL[b.role] ?? "faint"),
          stroke: css(b.role === "window" ? "ink" : b.role === "tape" ? "hair" : b.role === "primary" ? "copper" : "steel"),
          strokeWidth: frame.width / 500,
        }
        const y = tallest - b.y - b.height
        return b.round ? (
          <ellipse key={i} cx={b.x + b.width / 2} cy={y + b.height / 2} rx={b.width / 2} ry={b.height / 2} {...paint} />
        ) : (
          <rect key={i} x={b.x} y={y} width={b.width} height={b.height} {...paint} />
        )
      })}
    </svg>
  )
}
