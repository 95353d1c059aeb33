import { Box, Flex, Grid, Input, Spinner, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data, type ScopeBench } from "../api/client"
import { useScope } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { download } from "../ui/download"
import { Fault, Plain } from "../ui/Page"
import { Choice } from "./Choice"

const LOADS = ["as designed", "none", "adapter", "lamp, cold", "motor, starting"] as const
const EVENTS = ["steady", "soft start", "load step", "short circuit"] as const

interface Look {
  load: (typeof LOADS)[number]
  event: (typeof EVENTS)[number]
  periods: number
  first?: number | string
  last?: number | string
  reference?: string
}

/** The scope at the socket: an event with a load, its traces, a window down to one carrier period, and what meters read of it. */
export function Scope({ handle }: { handle: DesignHandle }) {
  const [look, setLook] = useState<Look>({ load: "as designed", event: "steady", periods: 4 })
  const [fault, setFault] = useState<string>()
  const asked = useScope(handle.design, { ...look })
  const seen = asked.data
  const choose = (more: Partial<Look>) => setLook({ ...look, first: undefined, last: undefined, ...more })
  const keep = () =>
    data(client.POST("/api/scope/csv", { body: { brief: handle.design?.brief ?? {}, pins: handle.design?.pins, rules: handle.design?.rules, route: handle.design?.route, look }, parseAs: "blob" } as never) as never).then(
      (file) => (setFault(undefined), download(file as Blob, "scope.csv")),
      (why: Error) => setFault(why.message),
    )
  return (
    <Grid flex="1" minH="0" templateColumns="500px minmax(0, 1fr)" data-testid="scope" data-fresh={!asked.isPlaceholderData && !asked.isFetching}>
      <Box px="5" pb="3" overflowY="auto" minH="0">
        <Rows title="load" names={LOADS} here={look.load} take={(load) => choose({ load })} id="load" />
        <Rows title="event" names={EVENTS} here={look.event} take={(event) => choose({ event, periods: event === "steady" ? 4 : 8 })} id="event" />
        {seen && <Window seen={seen} move={(first, last) => setLook({ ...look, first, last })} />}
        <Flex gap="2" mt="2" wrap="wrap">
          <Plain size="xs" bg={look.reference ? "copper.soft" : "sheet"} aria-pressed={Boolean(look.reference)} onClick={() => setLook({ ...look, reference: look.reference ? undefined : look.load })} data-testid="keep-trace">
            {look.reference ? `compared with: ${look.reference}` : "keep for comparison"}
          </Plain>
          <Plain size="xs" onClick={() => void keep()} data-testid="scope-csv">
            CSV
          </Plain>
        </Flex>
        {(fault ?? asked.error?.message) && <Fault mt="2">{fault ?? asked.error?.message}</Fault>}
        <Box fontSize="sm" mt="3" data-testid="readings">
          {seen?.readings.map(({ name, text }) => (
            <Flex key={name} gap="3" py="0.5" borderBottom="1px solid" borderColor="faint">
              <Text flex="1">{name}</Text>
              <Text fontFamily="mono" fontWeight="600" fontSize="13px">
                {text}
              </Text>
            </Flex>
          ))}
        </Box>
        {seen?.remarks.map((r) => (
          <Text key={r} fontSize="sm" color="ink.soft" mt="2">
            {r}
          </Text>
        ))}
      </Box>
      <Box px="4" pb="3" overflowY="auto" minH="0" borderLeft="1px solid" borderColor="hair">
        {!seen && !asked.error && (
          <Flex align="center" gap="3" p="5">
            <Spinner color="copper" /> recording …
          </Flex>
        )}
        {seen?.charts.map((c) => (
          <Plot key={c.key} chart={c} />
        ))}
      </Box>
    </Grid>
  )
}

const Rows = <T extends string>(props: React.ComponentProps<typeof Choice<T>>) => (
  <Box css={{ "& > div": { flexWrap: "wrap" }, "& p": { width: "46px" } }} mb="1">
    <Choice {...props} />
  </Box>
)

/** Which part of the record is looked at: whole, a line period, a few carrier periods; earlier, later, or typed. */
function Window({ seen, move }: { seen: ScopeBench; move: (first: number | string | undefined, last: number | string | undefined) => void }) {
  const wide = seen.last - seen.first
  const about = (width: number) => {
    const middle = Math.min(Math.max((seen.first + seen.last) / 2, width / 2), seen.end - width / 2)
    move(middle - width / 2, middle + width / 2)
  }
  const shift = (by: number) => {
    const first = Math.min(Math.max(seen.first + by * wide, 0), seen.end - wide)
    move(first, first + wide)
  }
  return (
    <Box>
      <Flex gap="2" align="center" minH="30px" wrap="wrap">
        <Text fontSize="sm" w="46px" color="ink.soft">
          show
        </Text>
        <Plain size="xs" onClick={() => move(undefined, undefined)} data-testid="window-all">
          all
        </Plain>
        <Plain size="xs" onClick={() => about(seen.period)} data-testid="window-period">
          a line period
        </Plain>
        <Plain size="xs" onClick={() => about(2 * seen.carrier)} data-testid="window-carrier">
          two carriers
        </Plain>
        <Plain size="xs" onClick={() => shift(-0.5)} aria-label="earlier" data-testid="window-earlier">
          ‹
        </Plain>
        <Plain size="xs" onClick={() => shift(0.5)} aria-label="later" data-testid="window-later">
          ›
        </Plain>
      </Flex>
      <Flex gap="2" align="center" minH="30px" fontSize="sm" key={`${seen.first}-${seen.last}`}>
        <Text w="46px" color="ink.soft">
          from
        </Text>
        <Moment value={seen.first} give={(text) => move(text, seen.last)} name="first" />
        <Text color="ink.soft">to</Text>
        <Moment value={seen.last} give={(text) => move(seen.first, text)} name="last" />
      </Flex>
    </Box>
  )
}

const Moment = ({ value, give, name }: { value: number; give: (text: string) => void; name: string }) => (
  <Input size="xs" w="104px" fontFamily="mono" textAlign="right" defaultValue={`${Number((value * 1e3).toPrecision(6))} ms`} aria-label={name} onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && give(e.currentTarget.value))} data-testid={`window-${name}`} />
)
