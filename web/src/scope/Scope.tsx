import { Box, Flex, Grid, Input, NativeSelect, Spinner, Text } from "@chakra-ui/react"
import { useMemo, useState } from "react"

import { client, data, type Look, type ScopeSeen, type Trigger } from "../api/client"
import { asked, useDrawn, useScope } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { download } from "../ui/download"
import { Fault, Plain } from "../ui/Page"
import { Rows } from "../ui/Rows"
import { Pick } from "./Pick"
import { Probes, type Probe } from "./Probes"
import type { Drawn } from "./record"
import { Traces, type MarkAt, type Span } from "./Traces"
import { TriggerRow, Window } from "./Window"

const LOADS = ["as designed", "none", "adapter", "lamp, cold", "motor, starting", "motor, running", "transformer"] as const
const EVENTS = ["steady", "soft start", "load step", "short circuit"] as const
const SOURCES = ["stiff link", "source, averaged", "source, switched"] as const
const BEFORE_LINK: readonly Probe[] = ["source", "input", "choke", "link"]
const MOST = 4
/** Carrier periods up to which a window is fetched again, looked at more closely. */
const CLOSE = 40

type Played = Required<Pick<Look, "load" | "event" | "source" | "setting">> & { periods: number }
type Reach = "harmonics" | "carrier"

/** The scope: an event with a load, probed anywhere between source and load, down to one carrier period. */
export function Scope({ handle }: { handle: DesignHandle }) {
  const [played, setPlayed] = useState<Played>({
    load: "as designed",
    event: "steady",
    source: "stiff link",
    setting: "highest",
    periods: 4,
  })
  const [names, setNames] = useState<Probe[]>(["output", "load"])
  const [window, setWindow] = useState<Partial<{ first: number | string; last: number | string }>>({})
  const [cursors, setCursors] = useState<string[]>([])
  const [trigger, setTrigger] = useState<Trigger>()
  const [spectrum, setSpectrum] = useState<{ trace: Probe; reach: Reach; limit?: string }>()
  const [reference, setReference] = useState<{ drawn: Drawn; title: string }>()
  const [fault, setFault] = useState<string>()

  const look = { ...played, ...window, traces: names, cursors, trigger, spectrum }
  const reading = useScope(handle.design, look)
  const seen = reading.data
  const whole = useDrawn(handle.design, played)
  const narrow = seen && !reading.isPlaceholderData && seen.last - seen.first < CLOSE * seen.carrier
  const close = useDrawn(handle.design, narrow ? { ...played, first: seen.first, last: seen.last } : undefined)

  const front = handle.solved?.solution.blocks.some((b) => b.key === "dc_link") ?? true
  const bridge = handle.solved?.solution.blocks.some((b) => b.key === "h_bridge") ?? true
  const fed = seen?.sources ?? (front ? SOURCES : SOURCES.slice(0, 2))
  const choose = (more: Partial<Played>) => {
    setPlayed({ ...played, ...more })
    setWindow({})
    setCursors([])
    setTrigger(undefined)
  }
  const toggle = (name: Probe) => {
    setNames((now) => {
      const kept = now.includes(name) ? now.filter((n) => n !== name) : [...now, name].slice(-MOST)
      return kept.length ? kept : now
    })
    if (BEFORE_LINK.includes(name) && played.source === "stiff link") choose({ source: "source, averaged" })
  }
  /** The first click sets A, the second B, the third begins again. */
  const pick = (at: number) => setCursors(cursors.length === 1 ? [...cursors, `${at} s`] : [`${at} s`])
  const keep = () =>
    data(client.POST("/api/scope/csv", { body: asked(handle.design, { look }), parseAs: "blob" })).then(
      (file) => (setFault(undefined), download(file, "scope.csv")),
      (why: Error) => setFault(why.message),
    )
  const move = (first: number | string | undefined, last: number | string | undefined, triggered?: boolean) => {
    setWindow({ first, last })
    if (!triggered) setTrigger(undefined)
  }
  const settle = useMemo(() => (span: Span) => (setWindow({ first: span.first, last: span.last }), setTrigger(undefined)), [])
  const span = useMemo(() => ({ first: seen?.first ?? 0, last: seen?.last ?? 0.08 }), [seen?.first, seen?.last])
  const marks = useMemo(() => marked(seen?.tripped, seen?.triggered, cursors), [seen?.tripped, seen?.triggered, cursors])
  const level = useMemo(
    () => (seen && played.event === "short circuit" ? { value: seen.trip, unit: "A", label: "trip" } : undefined),
    [seen, played.event],
  )
  const shown = useMemo(() => names.filter((n) => whole.data?.traces.has(n)), [names, whole.data])
  const told = fault ?? reading.error?.message ?? whole.error?.message
  const fresh = !reading.isPlaceholderData && !reading.isFetching && !whole.isFetching
  return (
    <Grid flex="1" minH="0" templateColumns="minmax(0, 1fr) 384px" data-testid="scope" data-fresh={fresh}>
      <Flex direction="column" minH="0" pl="3">
        <Probes
          points={seen?.points}
          taken={names}
          front={front}
          bridge={bridge}
          direct={seen?.direct ?? false}
          load={played.load}
          toggle={toggle}
        />
        {whole.data && seen ? (
          <Traces
            whole={whole.data}
            close={close.data}
            names={shown}
            reference={reference?.drawn}
            marks={marks}
            level={level}
            window={span}
            settle={settle}
            pick={pick}
          />
        ) : (
          !told && (
            <Flex align="center" gap="3" p="5" flex="1">
              <Spinner color="copper" /> recording …
            </Flex>
          )
        )}
        {spectrum && seen?.spectrum && (
          <Box pr="2" pt="1">
            <Flex gap="2" align="center" mb="-1">
              {(seen.stepped ? (["harmonics"] as const) : (["harmonics", "carrier"] as const)).map((r) => (
                <Plain
                  key={r}
                  size="2xs"
                  bg={spectrum.reach === r ? "copper.soft" : "sheet"}
                  aria-pressed={spectrum.reach === r}
                  onClick={() => setSpectrum({ ...spectrum, reach: r })}
                  data-testid={`reach-${r}`}
                >
                  {r === "harmonics" ? "to harmonic 40" : "to the carrier"}
                </Plain>
              ))}
              <Text fontSize="sm" color="ink.soft">
                limit
              </Text>
              <Input
                size="2xs"
                w="70px"
                fontFamily="mono"
                textAlign="right"
                placeholder="none"
                defaultValue={spectrum.limit}
                aria-label="limit line"
                onKeyDown={(e) => (
                  e.stopPropagation(),
                  e.key === "Enter" && setSpectrum({ ...spectrum, limit: e.currentTarget.value || undefined })
                )}
                data-testid="spectrum-limit"
              />
              <Plain size="2xs" ml="auto" onClick={() => setSpectrum(undefined)}>
                close
              </Plain>
            </Flex>
            <Plot chart={seen.spectrum} />
          </Box>
        )}
      </Flex>
      <Box px="4" pb="3" overflowY="auto" minH="0" borderLeft="1px solid" borderColor="hair">
        <Pick title="load" names={seen?.loads ?? LOADS} here={played.load} take={(load) => choose({ load })} />
        <Pick
          title="event"
          names={seen?.events ?? EVENTS}
          here={played.event}
          take={(event) => choose({ event, periods: event === "steady" ? 4 : 8 })}
        />
        {seen?.settings && seen.settings.length > 0 && (
          <Pick title="set to" names={seen.settings} here={played.setting} take={(setting) => choose({ setting })} />
        )}
        <Pick title="fed by" names={fed} here={fed.find((f) => f === played.source) ?? fed[0]} take={(source) => choose({ source })} />
        <Pick
          title="for"
          names={["2", "4", "8", "14", "20"]}
          here={String(played.periods)}
          take={(n) => choose({ periods: Number(n) })}
          unit={seen?.direct ? "frames" : "periods"}
        />
        {seen && <Window seen={seen} move={move} />}
        <TriggerRow
          traces={seen?.points.filter((p) => names.includes(p.name)) ?? []}
          key={trigger?.trace}
          trigger={trigger}
          moment={seen?.triggered}
          give={setTrigger}
        />
        <Flex gap="2" mt="2" wrap="wrap">
          <Plain
            size="xs"
            bg={reference ? "copper.soft" : "sheet"}
            aria-pressed={Boolean(reference)}
            onClick={() =>
              setReference(reference || !whole.data ? undefined : { drawn: whole.data, title: `${played.load}, ${played.event}` })
            }
            data-testid="keep-trace"
          >
            {reference ? `compared with: ${reference.title}` : "keep for comparison"}
          </Plain>
          <Plain size="xs" onClick={() => void keep()} data-testid="scope-csv">
            CSV
          </Plain>
        </Flex>
        {told && <Fault mt="2">{told}</Fault>}
        <Table
          rows={seen?.measured}
          id="measured"
          corner={
            <Spectra
              names={shown}
              here={spectrum?.trace}
              seen={seen?.points}
              take={(trace) => setSpectrum(trace ? { reach: "harmonics", ...spectrum, trace } : undefined)}
            />
          }
        />
        {seen?.cursors?.length ? (
          <Table
            rows={seen.cursors}
            id="cursors"
            corner={
              <Plain size="2xs" onClick={() => setCursors([])} data-testid="clear-cursors">
                clear cursors
              </Plain>
            }
          />
        ) : (
          <Text fontSize="sm" color="ink.soft" mt="2">
            Click a trace for cursor A, again for B. Drag to pan, turn the wheel to zoom.
          </Text>
        )}
        <Box mt="3">
          <Rows rows={seen?.readings} id="readings" />
        </Box>
        {seen?.remarks.map((r) => (
          <Text key={r} fontSize="sm" color="ink.soft" mt="2">
            {r}
          </Text>
        ))}
      </Box>
    </Grid>
  )
}

function marked(tripped: number | null | undefined, triggered: number | null | undefined, cursors: readonly string[]): MarkAt[] {
  const found: MarkAt[] = []
  if (tripped != null) found.push({ at: tripped, label: "trips", tone: "stop" })
  if (triggered != null) found.push({ at: triggered, label: "trigger", tone: "fix" })
  cursors.forEach((c, i) => found.push({ at: parseFloat(c), label: "AB".charAt(i), tone: "copper" }))
  return found
}

/** Which trace's spectrum is shown below. */
const Spectra = ({
  names,
  here,
  seen,
  take,
}: {
  names: readonly Probe[]
  here: Probe | undefined
  seen: ScopeSeen["points"] | undefined
  take: (trace: Probe | undefined) => void
}) => (
  <NativeSelect.Root size="xs" w="92px">
    <NativeSelect.Field
      value={here ?? ""}
      onChange={(e) => take(names.find((n) => n === e.currentTarget.value))}
      aria-label="spectrum of"
      data-testid="pick-spectrum"
      bg="sheet"
      borderColor="hair"
      fontFamily="body"
      fontSize="12px"
    >
      <option value="">spectrum</option>
      {names.map((n) => (
        <option key={n} value={n}>
          {seen?.find((p) => p.name === n)?.label ?? n}
        </option>
      ))}
    </NativeSelect.Field>
    <NativeSelect.Indicator />
  </NativeSelect.Root>
)

/** A table of text, its first row naming the columns, something of use in its corner. */
function Table({ rows, id, corner }: { rows: readonly (readonly string[])[] | undefined; id: string; corner: React.ReactNode }) {
  if (!rows?.length) return null
  return (
    <Box
      as="table"
      w="100%"
      mt="2"
      fontSize="sm"
      css={{
        "& td": {
          textAlign: "right",
          fontFamily: "mono",
          fontSize: "12px",
          letterSpacing: "-0.045em",
          padding: "2px 0 2px 5px",
          whiteSpace: "nowrap",
        },
        "& td:first-of-type": { textAlign: "left", fontFamily: "body", paddingLeft: 0, whiteSpace: "normal", fontSize: "12.5px" },
        "& tr": { borderBottom: "1px solid var(--chakra-colors-faint)" },
      }}
      data-testid={id}
    >
      <tbody>
        {rows.map((row, n) => (
          <tr key={row[0]}>
            {row.map((text, i) => (
              <td key={i} style={n ? undefined : { fontWeight: 700 }}>
                {n || i ? text : corner}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </Box>
  )
}
