import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data } from "../api/client"
import { useScope } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { download } from "../ui/download"
import { Fault, Plain } from "../ui/Page"
import { Choice } from "./Choice"
import { TriggerRow, Window, type Trigger } from "./Window"

const LOADS = ["as designed", "none", "adapter", "lamp, cold", "motor, starting"] as const
const EVENTS = ["steady", "soft start", "load step", "short circuit"] as const

interface Look {
  load: (typeof LOADS)[number]
  event: (typeof EVENTS)[number]
  periods: number
  first?: number | string
  last?: number | string
  reference?: string
  cursors: string[]
  trigger?: Trigger
}

/** The scope at the socket: an event with a load, its traces, a window down to one carrier period, and what meters read of it. */
export function Scope({ handle }: { handle: DesignHandle }) {
  const [look, setLook] = useState<Look>({ load: "as designed", event: "steady", periods: 4, cursors: [] })
  const [fault, setFault] = useState<string>()
  const asked = useScope(handle.design, { ...look })
  const seen = asked.data
  const choose = (more: Partial<Look>) => setLook({ ...look, first: undefined, last: undefined, cursors: [], trigger: undefined, ...more })
  /** The first click sets A, the second B, the third begins anew. */
  const pick = (at: string) => setLook({ ...look, cursors: look.cursors.length === 1 ? [...look.cursors, at] : [at] })
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
        {seen && <Window seen={seen} move={(first, last, triggered) => setLook({ ...look, first, last, trigger: triggered ? look.trigger : undefined })} />}
        <TriggerRow key={look.trigger?.trace} trigger={look.trigger} moment={seen?.triggered} give={(trigger) => setLook({ ...look, trigger })} />
        <Flex gap="2" mt="2" wrap="wrap">
          <Plain size="xs" bg={look.reference ? "copper.soft" : "sheet"} aria-pressed={Boolean(look.reference)} onClick={() => setLook({ ...look, reference: look.reference ? undefined : look.load })} data-testid="keep-trace">
            {look.reference ? `compared with: ${look.reference}` : "keep for comparison"}
          </Plain>
          <Plain size="xs" onClick={() => void keep()} data-testid="scope-csv">
            CSV
          </Plain>
        </Flex>
        {(fault ?? asked.error?.message) && <Fault mt="2">{fault ?? asked.error?.message}</Fault>}
        <Cursors rows={seen?.cursors} clear={() => setLook({ ...look, cursors: [] })} />
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
          <Plot key={c.key} chart={c} pick={c.key === "harmonics" ? undefined : pick} />
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

/** What every trace stands at where the cursors are; before there are any, how to set them. */
function Cursors({ rows, clear }: { rows: readonly (readonly string[])[] | undefined; clear: () => void }) {
  if (!rows?.length)
    return (
      <Text fontSize="sm" color="ink.soft" mt="2">
        Click a trace to set cursor A, again for B.
      </Text>
    )
  return (
    <Box as="table" w="100%" mt="2" fontSize="sm" css={{ "& td": { textAlign: "right", fontFamily: "mono", fontSize: "13px", padding: "2px 0 2px 10px" }, "& td:first-of-type": { textAlign: "left", fontFamily: "body", paddingLeft: 0 }, "& tr": { borderBottom: "1px solid var(--chakra-colors-faint)" } }} data-testid="cursors">
      <tbody>
        {rows.map((row, n) => (
          <tr key={row[0]}>
            {row.map((text, i) => (
              <td key={i} style={n ? undefined : { fontWeight: 700 }}>
                {n || i ? (
                  text
                ) : (
                  <Plain size="xs" onClick={clear} data-testid="clear-cursors">
                    clear cursors
                  </Plain>
                )}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </Box>
  )
}
