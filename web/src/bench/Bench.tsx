import "./palette.css"

import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"
import { useCallback, useEffect, useRef, useState } from "react"
import { Link, useNavigate, useParams, useSearchParams } from "react-router"

import type { Figure, Finding, PinValue, Solution } from "../api/client"
import { useCharts } from "../api/hooks"
import { Circuit } from "../circuits"
import { applyMode, presentMode } from "../theme"
import { Modulation, type WavePage } from "../modulation/Modulation"
import { Coils, type CoilPage } from "../coils/Coils"
import { History } from "../history/History"
import { Routes } from "../routes/Routes"
import { Fault, Key, Plain } from "../ui/Page"
import { BatteryChange } from "./BatteryChange"
import { Auxiliary, keyOf } from "./Auxiliary"
import { BriefSheet } from "./BriefSheet"
import { Conflict } from "./Conflict"
import { Figures } from "./Figures"
import { Findings } from "./Findings"
import { Margins } from "./Margins"
import { Mended } from "./Mended"
import { Parts } from "./Parts"
import { Palette, type Action } from "./Palette"
import { Plot } from "./Plot"
import { PowerPath } from "./PowerPath"
import { Record as Kept } from "./Record"
import { SequenceFiles } from "./SequenceFiles"
import { RANKED, Switches } from "./Switches"
import { TopBar } from "./TopBar"
import { useDesign, type DesignHandle } from "./useDesign"
import { Working } from "./Working"
import { download } from "../ui/download"
import { keysOn, switchKeys } from "../ui/keys"

/** The main screen: one design, its power path, the chosen block's sheet and pictures, the findings. */
export function Bench() {
  const { id = "" } = useParams()
  const handle = useDesign(id)
  if (!handle.solved || !handle.design)
    return (
      <Flex className="rhombos" h="100dvh" align="center" justify="center" direction="column" gap="3">
        {handle.fault ? <Fault>{handle.fault}</Fault> : <Spinner color="copper" />}
        <Link to="/" style={{ textDecoration: "underline" }}>
          all designs
        </Link>
      </Flex>
    )
  return <Laid key={id} handle={handle} solution={handle.solved.solution} />
}

function Laid({ handle, solution }: { handle: DesignHandle; solution: Solution }) {
  const [search, setSearch] = useSearchParams()
  const [finding, setFinding] = useState(false)
  const [figure, setFigure] = useState<Figure | null>(null)
  const navigate = useNavigate()
  const worst = solution.findings[0]?.block ?? "front_end"
  const named = search.get("block") ?? worst
  // a block that the design no longer has, as after another route was chosen, gives way
  const chosen = named === "brief" || solution.blocks.some((b) => b.key === named) ? named : worst
  const block = solution.blocks.find((b) => b.key === chosen)
  const onBattery = solution.brief.sources?.[0]?.kind === "battery"
  const shownView = search.get("view") === "battery" && !onBattery ? null : search.get("view")
  // from the address itself: a key may come before the page that a click asked for is drawn
  const asked = () => new URLSearchParams(location.search)
  const view = (name?: string, more?: Record<string, string>) =>
    setSearch({ block: asked().get("block") ?? worst, ...(name ? { view: name } : {}), ...more }, { replace: true })
  const toggle = (name: string) => view(asked().get("view") === name ? undefined : name)
  // what rows and findings are given keeps its identity, so that only those that changed are drawn again
  const latest = useRef({ handle, solution, setSearch })
  latest.current = { handle, solution, setSearch }
  const go = useCallback((key: string, address?: string) => {
    latest.current.setSearch({ block: key }, { replace: true })
    setFigure(latest.current.solution.blocks.find((b) => b.key === key)?.figures.find((f) => f.address === address) ?? null)
  }, [])
  const apply = useCallback((patch: Record<string, PinValue>) => {
    return latest.current.handle.change((now) => {
      const pins = { ...now.pins, ...patch }
      for (const [address, value] of Object.entries(patch)) if (value === null) delete pins[address]
      return { pins }
    })
  }, [])
  const pin = useCallback((address: string, value: PinValue) => apply({ [address]: value }), [apply])
  const waive = useCallback((code: string, reason: string | null) => {
    const on = new Date().toISOString().slice(0, 10)
    return latest.current.handle.change((now) => {
      const others = (now.waivers ?? []).filter((w) => w.code !== code)
      return { waivers: reason === null ? others : [...others, { code, reason, on }] }
    })
  }, [])
  const jump = useCallback((f: Finding) => go(f.block, f.figure ?? undefined), [go])
  const actions: Action[] = [
    { name: "Change the brief", keys: "0", run: () => go("brief") },
    { name: "Compare the routes", keys: "R", run: () => view("routes") },
    { name: "Magnetics: cores, turns, wire, winding sheets", keys: "M", run: () => view("magnetics") },
    { name: "Waves: modulation, scope, spectrum, sine table", keys: "W", run: () => view("waves") },
    { name: "Margins: every stress against its rating", keys: "A", run: () => view("margins") },
    { name: "Parts: the parts list, with references", keys: "L", run: () => view("parts") },
    ...(onBattery ? [{ name: "Another battery: what it touches", keys: "B", run: () => view("battery") }] : []),
    { name: "Record: waivers, rules, pins", keys: "E", run: () => view("record") },
    { name: "History: every revision, what it changed, back to it", keys: "Y", run: () => view("history") },
    { name: "Undo", keys: "Ctrl Z", run: () => void handle.undo?.() },
    { name: "Redo", keys: "Ctrl Shift Z", run: () => void handle.redo?.() },
    { name: "Unpin all", run: () => void handle.change({ pins: {} }) },
    { name: "Light or dark", run: () => applyMode(presentMode() === "dark" ? "light" : "dark") },
    { name: `Single-letter keys: turn ${keysOn() ? "off" : "on"}`, run: switchKeys },
    { name: "Export the design as JSON", run: () => exportDesign(handle) },
    { name: "Print", run: () => print() },
    { name: "All designs", run: () => void navigate("/") },
    { name: "Precharge of any bus", run: () => void navigate("/precharge") },
    { name: "Equation book", run: () => void navigate("/book") },
    { name: "Shelf of parts", run: () => void navigate("/shelf") },
  ]
  useKeys({ solution, go, undo: handle.undo, redo: handle.redo, toggle, find: () => setFinding(true), close: () => setFigure(null) })
  const shown = figure && (block?.figures.find((f) => f.address === figure.address && f.title === figure.title) ?? null)
  return (
    <Flex className="rhombos" direction="column" h={{ base: "auto", lg: "100dvh" }} minW="1000px" _print={{ h: "auto", minW: "0" }}>
      <TopBar
        handle={handle}
        asked={solution.totals?.texts.asked ?? "change the brief"}
        brief={chosen === "brief"}
        showBrief={() => go(chosen === "brief" ? worst : "brief")}
        view={shownView}
        show={toggle}
        views={VIEWS}
        find={() => setFinding(true)}
      />
      <Box as="main" display="contents">
        <PowerPath solution={solution} chosen={chosen} choose={go} />
        <TotalsLine solution={solution} chosen={shownView ? "" : chosen} go={go} />
        <Mended handle={handle} />
        {handle.fault && <Fault m="2">{handle.fault}</Fault>}
        {shownView === "magnetics" && (
          <Coils
            handle={handle}
            apply={apply}
            part={chosen}
            page={(search.get("page") ?? "choices") as CoilPage}
            show={(part, page) => setSearch({ block: part, view: "magnetics", page }, { replace: true })}
            done={() => view()}
          />
        )}
        {shownView === "waves" && (
          <Modulation
            handle={handle}
            solution={solution}
            page={(search.get("page") ?? "wave") as WavePage}
            show={(page) => view("waves", { page })}
            done={() => view()}
          />
        )}
        {shownView === "routes" && <Routes handle={handle} done={() => setSearch({}, { replace: true })} />}
        {shownView === "margins" && <Margins solution={solution} go={go} done={() => view()} />}
        {shownView === "parts" && <Parts handle={handle} go={go} done={() => view()} />}
        {shownView === "battery" && <BatteryChange handle={handle} done={() => view()} />}
        {shownView === "history" && <History handle={handle} done={() => view()} />}
        {shownView === "record" && <Kept handle={handle} solution={solution} waive={waive} done={() => view()} />}
        {!shownView && (
          <Grid
            flex="1"
            minH="0"
            _print={{ display: "block" }}
            templateColumns="minmax(440px, 1.06fr) minmax(300px, 1fr) minmax(250px, 0.62fr)"
          >
            <Column>
              <Flex align="baseline" gap="3" mb="1">
                <Text as="h2" fontWeight="700" fontSize="lg" whiteSpace="nowrap" data-testid="sheet-title">
                  {chosen === "brief"
                    ? "Brief"
                    : `${block && !block.auxiliary ? `${solution.blocks.indexOf(block) + 1} ` : ""}${block?.title ?? ""}`}
                </Text>
                <Text fontSize="sm" color="ink.soft" lineHeight="1.2">
                  {chosen === "brief" ? "what is asked, and where it will live" : block?.remark}
                </Text>
              </Flex>
              {chosen === "brief" && (
                <BriefSheet
                  design={handle.design!}
                  fields={handle.solved!.fields}
                  rules={handle.solved!.house}
                  change={handle.change}
                  moved={handle.moved}
                />
              )}
              {block && (
                <>
                  <Circuit key={block.key} block={block} />
                  <Figures figures={block.figures} chosen={shown} open={setFigure} pin={pin} />
                </>
              )}
            </Column>
            <Column>
              {shown && (
                <Working
                  figure={shown}
                  step={shown.step ? solution.steps[shown.step] : undefined}
                  close={() => setFigure(null)}
                  pin={pin}
                />
              )}
              {onBattery && (chosen === "source" || chosen === "brief") && (
                <Plain size="xs" mb="2" onClick={() => view("battery")} data-testid="show-battery">
                  what would another battery touch?
                </Plain>
              )}
              {chosen === "precharge" && <SequenceFiles handle={handle} />}
              <Pictures handle={handle} block={chosen === "brief" ? "load" : chosen} />
              {RANKED.includes(chosen) && <Switches key={chosen} handle={handle} block={chosen} apply={apply} />}
            </Column>
            <Column last>
              <Findings findings={solution.findings} here={block} apply={apply} jump={jump} waive={waive} />
            </Column>
          </Grid>
        )}
      </Box>
      <Foot handle={handle} solution={solution} />
      <Palette open={finding} close={() => setFinding(false)} solution={solution} actions={actions} go={go} />
      <Conflict handle={handle} />
    </Flex>
  )
}

const Column = ({ children, last }: { children: React.ReactNode; last?: boolean }) => (
  <Box
    px="5"
    py="3"
    overflowY="auto"
    minH="0"
    _print={{ overflow: "visible" }}
    borderRight={last ? undefined : "1px solid"}
    borderColor="hair"
    tabIndex={0}
  >
    {children}
  </Box>
)

function Pictures({ handle, block }: { handle: DesignHandle; block: string }) {
  const charts = useCharts(handle.design, block)
  if (charts.error) return <Fault>{charts.error.message}</Fault>
  return (
    <Box opacity={charts.isPlaceholderData ? 0.6 : 1} data-testid="pictures" data-fresh={!charts.isPlaceholderData && !charts.isPending}>
      {charts.data?.map((c) => (
        <Plot key={c.key} chart={c} />
      ))}
    </Box>
  )
}

/** The whole in one line, under the path. */
function TotalsLine({ solution, chosen, go }: { solution: Solution; chosen: string; go: (block: string) => void }) {
  const t = solution.totals?.texts
  return (
    <Flex
      className="aside"
      px="5"
      h="30px"
      align="center"
      fontSize="sm"
      color="ink.soft"
      borderBottom="1px solid"
      borderColor="hair"
      bg="sheet"
      gap="4"
      whiteSpace="nowrap"
      overflow="hidden"
      data-testid="totals"
    >
      {t && (
        <Box truncate title="at full power, nominal input">
          in <Bold>{t.power_in}</Bold> = out <Bold>{t.power_out}</Bold> + lost <Bold>{t.lost}</Bold> · efficiency{" "}
          <Bold testid="efficiency">{t.efficiency}</Bold> · idle <Bold>{t.idle}</Bold>
          {t.line_current && (
            <>
              {" "}
              · takes <Bold testid="line-current">{t.line_current}</Bold>, power factor <Bold>{t.power_factor}</Bold>
            </>
          )}
          {solution.totals?.run_time != null && (
            <>
              {" "}
              · runs <Bold>{t.run_time}</Bold>
            </>
          )}
        </Box>
      )}
      <Box ml="auto">
        <Auxiliary blocks={solution.blocks.filter((b) => b.auxiliary)} chosen={chosen} choose={go} />
      </Box>
    </Flex>
  )
}

const Bold = ({ children, testid }: { children: React.ReactNode; testid?: string }) => (
  <Box as="b" color="ink" data-testid={testid}>
    {children}
  </Box>
)

function Foot({ handle, solution }: { handle: DesignHandle; solution: Solution }) {
  const t = solution.totals?.texts
  return (
    <Flex
      as="footer"
      className="aside"
      px="5"
      h="30px"
      flexShrink="0"
      align="center"
      gap="5"
      fontSize="sm"
      bg="sheet"
      borderTop="1px solid"
      borderColor="hair"
      whiteSpace="nowrap"
      overflow="hidden"
    >
      {t && (
        <Text color="stop" fontWeight="700" data-testid="danger">
          {t.danger}
        </Text>
      )}
      <Text ml="auto" color="ink.soft">
        house rules: {solution.rules}
        {handle.solved?.house.some((r) => r.changed) ? ", some changed" : ""}
      </Text>
      {t && <Text color="ink.soft">energy balance {t.balance}</Text>}
      <Text color="ink.soft" data-testid="took">
        solved in {Math.round(handle.took)} ms
      </Text>
      <Text color="ink.soft">
        blocks <Key>1</Key>–<Key>{Math.min(9, solution.blocks.filter((b) => !b.auxiliary).length)}</Key>
      </Text>
    </Flex>
  )
}

interface Keys {
  solution: Solution
  go: (block: string) => void
  undo: (() => void) | null
  redo: (() => void) | null
  toggle: (view: string) => void
  find: () => void
  close: () => void
}

/** The views that fill the bench; the letters that show them are `VIEW_KEYS`. */
const VIEWS = ["routes", "magnetics", "waves", "margins", "parts", "record", "history"]
const auxiliaryOf = (solution: Solution) => solution.blocks.filter((b) => b.auxiliary).map((b) => b.key)

const VIEW_KEYS: Record<string, string | undefined> = {
  r: "routes",
  m: "magnetics",
  w: "waves",
  a: "margins",
  l: "parts",
  b: "battery",
  e: "record",
  y: "history",
}

function useKeys({ solution, go, undo, redo, toggle, find, close }: Keys) {
  useEffect(() => {
    const beside = (key: string) => auxiliaryOf(solution).find((name) => keyOf(name) === key)
    const pressed = (e: KeyboardEvent) => {
      const typing = (e.target as HTMLElement).matches?.("input, select, textarea")
      const command = e.ctrlKey || e.metaKey
      const commanded = command ? { k: find, z: e.shiftKey ? redo : undo, y: redo }[e.key.toLowerCase()] : undefined
      const view = VIEW_KEYS[e.key]
      if (commanded && (commanded === find || !typing)) {
        e.preventDefault()
        void commanded()
      } else if (typing) return
      else if (e.key === "Escape") close()
      else if (command || e.altKey || !keysOn()) return
      else if (e.key === "0") go("brief")
      else if (view) toggle(view)
      else if (beside(e.key)) go(beside(e.key)!)
      else if (/^[1-9]$/.test(e.key)) {
        const block = solution.blocks[Number(e.key) - 1]
        if (block && !block.auxiliary) go(block.key)
      }
    }
    addEventListener("keydown", pressed)
    return () => removeEventListener("keydown", pressed)
  })
}

const exportDesign = (handle: DesignHandle) =>
  download(new Blob([JSON.stringify(handle.design, null, 2)], { type: "application/json" }), `${handle.design?.name ?? "design"}.json`)
