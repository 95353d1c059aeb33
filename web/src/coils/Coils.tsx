import "./coils.css"

import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"

import type { CoilBench, School } from "../api/client"
import { useCoils } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { Fault, Plain, Quiet } from "../ui/Page"
import { Options, type Apply } from "./Options"
import { Tools } from "./Tools"
import { WindingSheet } from "./WindingSheet"

const PARTS: Record<string, string> = {
  transformer: "transformer",
  iron_transformer: "transformer",
  rectifier: "link choke",
  output_filter: "filter inductor",
  controller: "current transformer",
  oscillator: "drive transformer",
}
const PAGES = ["choices", "winding sheet", "tools"] as const
export type CoilPage = (typeof PAGES)[number]

interface Props {
  handle: DesignHandle
  apply: Apply
  part: string
  page: CoilPage
  show: (part: string, page: CoilPage) => void
  done: () => void
}

/** The magnetics bench: every wound part of the design, what else could be wound, and the sheet to wind from. */
export function Coils({ handle, apply, part, page, show, done }: Props) {
  const asked = useCoils(handle.design)
  if (asked.error) return <Fault m="4">{asked.error.message}</Fault>
  if (!asked.data)
    return (
      <Flex flex="1" align="center" justify="center" gap="3">
        <Spinner color="copper" /> searching the shelf …
      </Flex>
    )
  const { benches } = asked.data
  const bench = benches.find((b) => b.block === part) ?? benches[0]
  return (
    <Flex direction="column" flex="1" minH="0" data-testid="coils" data-fresh={!asked.isPlaceholderData}>
      <Flex px="5" pt="3" pb="1" gap="4" align="baseline" className="screen-only">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Magnetics
        </Text>
        {benches.map((b) => (
          <Quiet
            key={b.block}
            color={b === bench ? "copper" : "ink.soft"}
            fontWeight={b === bench ? 600 : 400}
            onClick={() => show(b.block, page)}
            data-testid={`coil-${b.block}`}
          >
            {PARTS[b.block]}
          </Quiet>
        ))}
        <Flex ml="auto" gap="2">
          {PAGES.map((p) => (
            <Plain
              key={p}
              size="xs"
              bg={p === page ? "copper.soft" : "sheet"}
              aria-pressed={p === page}
              onClick={() => show(bench?.block ?? part, p)}
              data-testid={`page-${p.replace(" ", "-")}`}
            >
              {p}
            </Plain>
          ))}
        </Flex>
        <Quiet onClick={done} textDecoration="underline" data-testid="close-coils">
          back to the sheet
        </Quiet>
      </Flex>
      {!bench && page !== "tools" && <Text p="5">Nothing is wound in this design.</Text>}
      {page === "tools" && <Tools />}
      {bench && page === "winding sheet" && <WindingSheet sheet={bench.sheet} block={bench.block} design={handle.design} />}
      {bench && page === "choices" && <Choices bench={bench} apply={apply} />}
    </Flex>
  )
}

const Choices = ({ bench, apply }: { bench: CoilBench; apply: Apply }) => (
  <Grid flex="1" minH="0" templateColumns="minmax(0, 1fr) 400px">
    <Box px="5" pb="3" overflowY="auto" minH="0">
      {bench.tables.map((t) => (
        <Options key={t.key} table={t} apply={apply} />
      ))}
    </Box>
    <Box px="4" pb="3" overflowY="auto" minH="0" borderLeft="1px solid" borderColor="hair">
      {bench.charts.map((c) => (
        <Plot key={c.key} chart={c} />
      ))}
      {bench.schools.length > 0 && <Schools schools={bench.schools} />}
    </Box>
  </Grid>
)

/** How large a core must be, by several schools, and why they differ. */
const Schools = ({ schools }: { schools: readonly School[] }) => (
  <Box fontSize="sm" data-testid="schools">
    <Text fontWeight="700">How large a core?</Text>
    {schools.map((s) => (
      <Box key={s.name} py="1.5" borderBottom="1px solid" borderColor="faint">
        <Flex gap="2" align="baseline">
          <Text fontWeight="600">{s.name}</Text>
          <Text ml="auto" fontFamily="mono" fontSize="12.5px" color={s.enough ? "ink" : "fix"}>
            asks {s.asks}, here {s.here}
          </Text>
        </Flex>
        <Text color="ink.soft" lineHeight="1.3">
          Smallest that gives it: {s.core}. It counts {s.because}.
        </Text>
      </Box>
    ))}
  </Box>
)
