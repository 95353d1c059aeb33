import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"
import { useCallback, useEffect, useRef, useState } from "react"

import { client, data, Refusal, type Figure, type PinValue, type Problem } from "../api/client"
import { useBus, useBusFields } from "../api/hooks"
import { Figures } from "../bench/Figures"
import { Findings } from "../bench/Findings"
import { Plot } from "../bench/Plot"
import { Circuit } from "../circuits"
import { download } from "../ui/download"
import { Fault, Page, Plain } from "../ui/Page"
import { toldBy, TypedLine } from "../ui/TypedLine"
import { useTurns } from "../ui/useTurns"

const KEPT = "rhombos.bus"
interface Asked {
  bus: Record<string, string>
  pins: Record<string, PinValue>
}
const RESET: Asked = { bus: {}, pins: {} }

/** What was asked last in this browser; nothing where that cannot be read. */
function kept(): Asked {
  try {
    return { ...RESET, ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Asked>) }
  } catch {
    return RESET
  }
}

/** The precharge of any bus from 12 to 1000 V, with no design about it. What was typed stays in this browser. */
export function Bus() {
  const [asked, setAsked] = useState(kept)
  const [fault, setFault] = useState<string>()
  const [chosen, setChosen] = useState<Figure | null>(null)
  const fields = useBusFields()
  const seen = useBus(asked)
  const present = useRef(asked)
  const inTurn = useTurns()
  useEffect(() => localStorage.setItem(KEPT, JSON.stringify(asked)), [asked])
  const stands = useCallback((next: Asked) => {
    present.current = next
    setAsked(next)
  }, [])
  /** A change on top of what stands by then, taken if the server does; else it is said why, and what stood stays. */
  const take = useCallback(
    (edit: (now: Asked) => Asked) =>
      inTurn(async (): Promise<Problem | null> => {
        const next = edit(present.current)
        try {
          await data(client.POST("/api/bus", { body: next }))
        } catch (error) {
          if (error instanceof Refusal) return error.problem
          throw error
        }
        stands(next)
        return null
      }),
    [inTurn, stands],
  )
  const apply = useCallback(
    (patch: Record<string, PinValue>) =>
      take((now) => ({ ...now, pins: Object.fromEntries(Object.entries({ ...now.pins, ...patch }).filter(([, v]) => v !== null)) })),
    [take],
  )
  const pin = useCallback((address: string, value: PinValue) => apply({ [address]: value }), [apply])
  const file = (ending: "csv" | "c") =>
    data(client.POST("/api/bus/{ending}", { params: { path: { ending } }, body: asked, parseAs: "blob" })).then(
      (got) => (setFault(undefined), download(got, `precharge.${ending}`)),
      (why: Error) => setFault(why.message),
    )
  const told = fault ?? seen.error?.message
  return (
    <Page title="Precharge of a bus">
      {told && <Fault mb="3">{told}</Fault>}
      <Grid
        templateColumns="minmax(430px, 1.1fr) minmax(320px, 1fr) minmax(230px, 0.6fr)"
        gap="6"
        mx="-4"
        data-testid="bus"
        data-fresh={!seen.isFetching}
      >
        <Box>
          {fields.data?.map((f) => (
            <TypedLine
              key={f.address}
              title={f.title}
              hint={f.allowed}
              text={asked.bus[f.address] ?? f.text}
              id={`bus-${f.address}`}
              take={async (text) => toldBy(await take((now) => ({ ...now, bus: { ...now.bus, [f.address]: text } })))}
            />
          ))}
          <Box h="4" />
          {seen.data ? (
            <>
              <Circuit block={seen.data.block} />
              <Figures figures={seen.data.block.figures} chosen={chosen} open={setChosen} pin={pin} />
            </>
          ) : (
            !told && <Spinner color="copper" />
          )}
        </Box>
        <Box>
          <Flex gap="2" mb="2">
            <Plain size="xs" onClick={() => void file("csv")} data-testid="bus-csv">
              state table, CSV
            </Plain>
            <Plain size="xs" onClick={() => void file("c")} data-testid="bus-c">
              portable C
            </Plain>
            <Plain size="xs" ml="auto" onClick={() => void inTurn(() => Promise.resolve(stands(RESET)))} data-testid="bus-again">
              reset
            </Plain>
          </Flex>
          {seen.data?.charts.map((c) => (
            <Plot key={c.key} chart={c} />
          ))}
        </Box>
        <Box>
          <Text fontSize="sm" color="stop" fontWeight="700" mb="2">
            A charged bus kills. Bleed it, wait, measure, then touch.
          </Text>
          {seen.data && (
            <Findings
              findings={seen.data.findings}
              apply={apply}
              jump={(f) => setChosen(seen.data?.block.figures.find((x) => x.address === f.figure) ?? null)}
            />
          )}
        </Box>
      </Grid>
    </Page>
  )
}
