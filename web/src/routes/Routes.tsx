import "./routes.css"

import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { Comparison, Design, RouteRow, Weights } from "../api/client"
import { useCompare, useRating } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { Gem, LozengeShape } from "../ui/Lozenge"
import { Fault, Quiet, Strong } from "../ui/Page"

const COLUMNS: readonly (readonly [key: string, title: string])[] = [
  ["efficiency", "efficiency, full"],
  ["half", "half load"],
  ["tenth", "tenth load"],
  ["idle", "no load"],
  ["source_current", "input current at cut-off"],
  ["mass", "mass"],
  ["cost", "cost of the parts"],
  ["distortion", "distortion"],
  ["swing", "output regulation"],
]
const GEM = { suits: "note", bears: "watch", refuses: "stop" } as const
const same = (a: RouteRow, b: RouteRow | undefined) => a.route === b?.route && a.waveform === b.waveform

/** Every route for this brief, side by side; one is chosen with a click, and the comparison kept with the design. */
export function Routes({ handle, done }: { handle: DesignHandle; done: () => void }) {
  const [weights, setWeights] = useState<Weights>()
  const [picked, setPicked] = useState<RouteRow>()
  const asked = useCompare(handle.design, weights)
  if (asked.error) return <Fault m="4">{asked.error.message}</Fault>
  if (!asked.data)
    return (
      <Flex flex="1" align="center" justify="center" gap="3">
        <Spinner color="copper" /> sizing every route …
      </Flex>
    )
  const { comparison, qualities, picture, to_come: left } = asked.data
  const { design } = handle
  const asks = design?.brief?.outputs?.[0]
  const wave = asks?.kind === "AC" ? (asks.waveform ?? "sine") : (asks?.kind ?? "sine")
  const present = comparison.rows.find((r) => r.route === (design?.route ?? "push-pull link") && r.waveform === wave)
  const shown = comparison.rows.find((r) => same(r, picked)) ?? present ?? comparison.rows[0]
  const choose = async (row: RouteRow) => {
    if (!design || (await handle.change(chosen(design, row, comparison)))) return
    done()
  }
  return (
    <Grid flex="1" minH="0" templateColumns="minmax(0, 1fr) 306px" data-testid="routes" data-fresh={!asked.isPlaceholderData && !left}>
      <Box px="5" py="3" overflow="auto" minH="0" borderRight="1px solid" borderColor="hair">
        <Flex align="baseline" gap="3" mb="1">
          <Text as="h2" fontWeight="700" fontSize="lg">
            Routes
          </Text>
          <Text fontSize="sm" color="ink.soft">
            {left
              ? `sizing ${left} more of ${comparison.rows.length + left} …`
              : "each sized from your shelf for this brief, nothing pinned; choosing one unpins everything"}
          </Text>
          <Quiet ml="auto" onClick={done} textDecoration="underline" data-testid="close-routes">
            back to the sheet
          </Quiet>
        </Flex>
        <Table rows={comparison.rows} shown={shown} present={present} pick={setPicked} />
        {shown && <Detail row={shown} here={same(shown, present)} choose={left ? undefined : choose} rated={<Rated handle={handle} />} />}
      </Box>
      <Box px="4" py="3" overflowY="auto" minH="0">
        <Text fontWeight="700" mb="1">
          Weights
        </Text>
        <Box className="weights" mb="3">
          {qualities.map(({ name, title }) => (
            <label key={name}>
              {title}
              <input
                type="range"
                min={0}
                max={10}
                value={comparison.weights[name as keyof Weights]}
                onChange={(e) => setWeights({ ...comparison.weights, [name]: Number(e.target.value) })}
                data-testid={`weight-${name}`}
              />
              <output>{comparison.weights[name as keyof Weights]}</output>
            </label>
          ))}
        </Box>
        <Plot chart={picture} />
        {design?.decision && (
          <Text fontSize="sm" color="ink.soft" data-testid="decision">
            On record: {design.decision.chosen}, chosen from {design.decision.rows.length}.
          </Text>
        )}
      </Box>
    </Grid>
  )
}

function Table({
  rows,
  shown,
  present,
  pick,
}: {
  rows: readonly RouteRow[]
  shown?: RouteRow
  present?: RouteRow
  pick: (row: RouteRow) => void
}) {
  return (
    <table className="routes">
      <thead>
        <tr>
          <td />
          <th>route</th>
          {COLUMNS.map(([key, title]) => (
            <th key={key}>{key === "distortion" && rows[0]?.waveform === "DC" ? "ripple" : title}</th>
          ))}
          <th>loads</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r, i) => (
          <tr
            key={r.title}
            data-here={shown && same(r, shown)}
            data-out={r.out}
            onClick={() => pick(r)}
            data-testid={`route-${r.route}-${r.waveform}`}
          >
            <td>
              <button aria-label={`${r.out ? "×" : i + 1}: details of ${r.title}`}>
                <svg width="24" height="24" viewBox="0 0 24 24" style={{ display: "block" }}>
                  <LozengeShape
                    x={12}
                    y={12}
                    half={11}
                    type={12}
                    level={r.out ? 0 : (r.score ?? 0)}
                    severity={r.out ? "stop" : "note"}
                    label={r.out ? "×" : `${i + 1}`}
                  />
                </svg>
              </button>
            </td>
            <td>
              <b>{r.route}</b>, {r.waveform}
              {present && same(r, present) && (
                <Box as="span" color="copper">
                  {" "}
                  · this design
                </Box>
              )}
            </td>
            {COLUMNS.map(([key]) => (
              <td key={key} className="mono">
                {r.texts?.[key] ?? "–"}
              </td>
            ))}
            <td>
              <Flex gap="1" justify="flex-end">
                {r.loads?.map((l) => (
                  <span key={l.load} title={`${l.load}: ${l.reason}`}>
                    <Gem severity={GEM[l.verdict]} size={13} />
                  </span>
                ))}
              </Flex>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** What speaks for and against one route, in words. */
function Detail({
  row: r,
  here,
  choose,
  rated,
}: {
  row: RouteRow
  here: boolean
  choose?: (row: RouteRow) => Promise<void>
  rated: React.ReactNode
}) {
  return (
    <Grid templateColumns="1fr 1fr" columnGap="6" mt="3" fontSize="sm" data-testid="route-detail">
      <Box>
        <Flex align="center" gap="3" mb="1">
          <Text fontWeight="700">{r.title}</Text>
          {here ? (
            <Text color="copper">this design</Text>
          ) : (
            <Strong size="xs" disabled={!choose} onClick={() => void choose?.(r)} data-testid="choose-route">
              Choose this route
            </Strong>
          )}
        </Flex>
        {here && rated}
        {r.build && (
          <Text>
            Construction: {r.build} ({r.skill}).
          </Text>
        )}
        {r.noise && <Text color="ink.soft">Audible noise: {r.noise}.</Text>}
        {r.weakest && (
          <Text color="ink.soft">
            Tightest: {r.weakest}, {r.texts?.margin} of the house limit left. {r.count} parts; copper {r.texts?.copper}.
          </Text>
        )}
      </Box>
      <Box>
        {(r.against?.length ?? 0) > 0 && (
          <Text color={r.out ? "stop" : "fix"}>
            {r.out ? "Ruled out" : "Against it"}: {r.against?.join("; ")}.
          </Text>
        )}
        {r.loads?.map((l) => (
          <Flex key={l.load} gap="2" align="baseline">
            <Gem severity={GEM[l.verdict]} size={11} />
            <Text>
              {l.load}{" "}
              <Box as="span" color="ink.soft">
                {l.verdict === "refuses" ? "will not do: " : l.verdict === "bears" ? "bears it: " : "fine: "}
                {l.reason}
              </Box>
            </Text>
          </Flex>
        ))}
      </Box>
    </Grid>
  )
}

/** The power that the weakest stage of the design as built allows. */
function Rated({ handle }: { handle: DesignHandle }) {
  const rating = useRating(handle.design)
  return (
    <Text data-testid="rating">
      As built and pinned, rated by its weakest stage: <b>{rating.data?.text ?? rating.error?.message ?? "…"}</b>
    </Text>
  )
}

/** What the first socket is asked, if it alternates. */
const alternating = (design: Design) => {
  const first = design.brief?.outputs?.[0]
  return first?.kind === "AC" ? first : { kind: "AC" as const }
}

/** The brief with another wave of its first socket; what stands beside it stays. */
function waved(design: Design, wave: RouteRow["waveform"]): Design["brief"] {
  if (wave === "DC" || wave === "HF") return design.brief
  return { ...design.brief, outputs: [{ ...alternating(design), waveform: wave }, ...(design.brief?.outputs ?? []).slice(1)] }
}

/** The change that choosing a route is: the route, its wave, no pins, and the comparison on record. */
function chosen(design: Design, row: RouteRow, comparison: Comparison): Partial<Design> {
  const rows = comparison.rows.map((r) => ({
    title: r.title,
    out: r.out,
    score: r.score ?? 0,
    texts: r.texts ?? {},
    against: r.against ?? [],
  }))
  return {
    route: row.route,
    pins: {},
    brief: waved(design, row.waveform),
    decision: { weights: { ...comparison.weights }, chosen: row.title, rows },
  }
}
