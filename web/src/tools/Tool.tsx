import { Box, Grid, Spinner, Text } from "@chakra-ui/react"
import { keepPreviousData, useQuery } from "@tanstack/react-query"
import { useCallback, useEffect, useRef, useState, type ReactNode } from "react"

import {
  Refusal,
  type BlockReport,
  type BriefField,
  type Chart,
  type Figure,
  type Finding,
  type PinValue,
  type Problem,
} from "../api/client"
import { Figures } from "../bench/Figures"
import { Findings } from "../bench/Findings"
import { Plot } from "../bench/Plot"
import { Circuit } from "../circuits"
import { Fault, Page, Plain } from "../ui/Page"
import { toldBy, TypedLine } from "../ui/TypedLine"
import { useTurns } from "../ui/useTurns"

/** What is asked of a tool: its fields as they were typed, and what is fixed of its block. */
export interface Asked {
  fields: Record<string, string>
  pins: Record<string, PinValue>
}

/** What a tool's block comes to. */
export interface Seen {
  block: BlockReport
  findings: Finding[]
  charts: Chart[]
}

interface Props {
  title: string
  /** Stands before its addresses, and keeps what was typed in this browser. */
  name: string
  fields: () => Promise<BriefField[]>
  see: (asked: Asked, signal?: AbortSignal) => Promise<Seen>
  /** What must be known before anything is touched. */
  danger: string
  /** What else it offers, beside the button that starts again. */
  offers?: (asked: Asked) => ReactNode
}

const RESET: Asked = { fields: {}, pins: {} }

/** What was asked last in this browser; nothing where that cannot be read. */
function kept(name: string): Asked {
  try {
    return { ...RESET, ...(JSON.parse(localStorage.getItem(`rhombos.${name}`) ?? "{}") as Partial<Asked>) }
  } catch {
    return RESET
  }
}

/** One block with no design about it: what it is asked, what it comes to, its pictures and findings. What was typed stays in this
 * browser. */
export function Tool({ title, name, fields: askFields, see, danger, offers }: Props) {
  const [asked, setAsked] = useState(() => kept(name))
  const [chosen, setChosen] = useState<Figure | null>(null)
  const fields = useQuery({ queryKey: [`${name}-fields`], staleTime: Infinity, queryFn: askFields })
  const seen = useQuery({ queryKey: [name, asked], placeholderData: keepPreviousData, queryFn: ({ signal }) => see(asked, signal) })
  const present = useRef(asked)
  const inTurn = useTurns()
  useEffect(() => localStorage.setItem(`rhombos.${name}`, JSON.stringify(asked)), [name, asked])
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
          await see(next)
        } catch (error) {
          if (error instanceof Refusal) return error.problem
          throw error
        }
        stands(next)
        return null
      }),
    [inTurn, see, stands],
  )
  const apply = useCallback(
    (patch: Record<string, PinValue>) =>
      take((now) => ({ ...now, pins: Object.fromEntries(Object.entries({ ...now.pins, ...patch }).filter(([, v]) => v !== null)) })),
    [take],
  )
  const pin = useCallback((address: string, value: PinValue) => apply({ [address]: value }), [apply])
  const told = seen.error?.message
  return (
    <Page title={title}>
      {told && <Fault mb="3">{told}</Fault>}
      <Grid
        templateColumns="minmax(430px, 1.1fr) minmax(320px, 1fr) minmax(230px, 0.6fr)"
        gap="6"
        mx="-4"
        data-testid={name}
        data-fresh={!seen.isFetching}
      >
        <Box>
          {fields.data?.map((f) => (
            <TypedLine
              key={f.address}
              title={f.title}
              hint={f.allowed ?? ""}
              text={asked.fields[f.address] ?? f.text}
              id={`${name}-${f.address}`}
              take={async (text) => toldBy(await take((now) => ({ ...now, fields: { ...now.fields, [f.address]: text } })))}
            />
          ))}
          <Box h="4" />
          {seen.data ? (
            <>
              {seen.data.block.circuit && <Circuit block={seen.data.block} />}
              <Figures figures={seen.data.block.figures} chosen={chosen} open={setChosen} pin={pin} />
            </>
          ) : (
            !told && <Spinner color="copper" />
          )}
        </Box>
        <Box>
          <Box display="flex" gap="2" mb="2">
            {offers?.(asked)}
            <Plain size="xs" ml="auto" onClick={() => void inTurn(() => Promise.resolve(stands(RESET)))} data-testid={`${name}-again`}>
              reset
            </Plain>
          </Box>
          {seen.data?.charts.map((c) => (
            <Plot key={c.key} chart={c} />
          ))}
        </Box>
        <Box>
          <Text fontSize="sm" color="stop" fontWeight="700" mb="2">
            {danger}
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
