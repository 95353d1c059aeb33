import { Box, Flex, Grid, Input, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data, type ModulationBench } from "../api/client"
import { useSineTable } from "../api/hooks"
import { download } from "../ui/download"
import { Fault, Plain } from "../ui/Page"
import { Rows } from "../ui/Rows"

const FIELDS = [
  ["clock", "timer clock", "16 MHz"],
  ["carrier", "carrier", "18 kHz"],
  ["line", "output", "50 Hz"],
  ["index", "index", "0.9"],
  ["samples", "samples a line period, 0: one each carrier", "0"],
  ["bits", "bits of the timer", "16"],
  ["dead_time", "dead time", "400 ns"],
] as const
const SYMMETRIES = ["quarter", "half", "full"] as const
const FILES = [
  ["h", "C header"],
  ["csv", "CSV"],
  ["vcd", "timing, VCD"],
] as const

/** The table that a timer plays: counts, what carrier and line really become, what whole numbers cost, and files of it. */
export function SineTable({ bench }: { bench: ModulationBench | undefined }) {
  const [values, setValues] = useState<Record<string, string>>({})
  const [symmetry, setSymmetry] = useState<(typeof SYMMETRIES)[number]>("quarter")
  const [centred, setCentred] = useState(true)
  const [fault, setFault] = useState<string>()
  const designed: Record<string, string | undefined> = {
    carrier: bench?.asked.carrier,
    dead_time: bench?.asked.dead_time,
    index: bench && Number(bench.asked.index) <= 1 ? bench.asked.index : undefined,
  }
  const given = Object.fromEntries(FIELDS.map(([name, , hint]) => [name, values[name]?.trim() || designed[name] || hint]))
  const body = { ...given, symmetry, centred }
  const asked = useSineTable(body)
  const keep = (ending: (typeof FILES)[number][0]) =>
    data(client.POST("/api/sine-table/{ending}", { params: { path: { ending } }, body, parseAs: "blob" })).then(
      (file) => (setFault(undefined), download(file, `sine-table.${ending}`)),
      (why: Error) => setFault(why.message),
    )
  const told = fault ?? asked.error?.message
  return (
    <Grid
      flex="1"
      minH="0"
      px="5"
      pb="3"
      gap="6"
      templateColumns="330px minmax(0, 1fr) minmax(0, 0.8fr)"
      overflowY="auto"
      alignItems="start"
      data-testid="sine-table"
    >
      <Box>
        {FIELDS.map(([name, title, hint]) => (
          <Flex key={name} align="center" gap="3" minH="30px" fontSize="sm">
            <Text flex="1">{title}</Text>
            <Input
              size="xs"
              w="104px"
              fontFamily="mono"
              textAlign="right"
              placeholder={designed[name] ?? hint}
              value={values[name] ?? ""}
              aria-label={title}
              onChange={(e) => setValues({ ...values, [name]: e.target.value })}
              onKeyDown={(e) => e.stopPropagation()}
              data-testid={`table-${name}`}
            />
          </Flex>
        ))}
        <Flex gap="2" mt="2" align="center">
          <Text fontSize="sm" flex="1">
            keep of the wave
          </Text>
          {SYMMETRIES.map((s) => (
            <Plain
              key={s}
              size="xs"
              bg={s === symmetry ? "copper.soft" : "sheet"}
              aria-pressed={s === symmetry}
              onClick={() => setSymmetry(s)}
              data-testid={`symmetry-${s}`}
            >
              {s}
            </Plain>
          ))}
        </Flex>
        <Flex gap="2" mt="2" align="center">
          <Text fontSize="sm" flex="1">
            timer counts
          </Text>
          {([true, false] as const).map((c) => (
            <Plain
              key={String(c)}
              size="xs"
              bg={c === centred ? "copper.soft" : "sheet"}
              aria-pressed={c === centred}
              onClick={() => setCentred(c)}
            >
              {c ? "up and down" : "up"}
            </Plain>
          ))}
        </Flex>
        <Flex gap="2" mt="4" align="center">
          <Text fontSize="sm" flex="1">
            take it away
          </Text>
          {FILES.map(([ending, title]) => (
            <Plain key={ending} size="xs" onClick={() => void keep(ending)} data-testid={`keep-${ending}`}>
              {title}
            </Plain>
          ))}
        </Flex>
        {told && <Fault mt="3">{told}</Fault>}
      </Box>
      <Rows title="What the timer makes of it" rows={asked.data?.figures} id="table-figures" />
      <Box>
        <Rows title="Cycles: whole numbers | floating point in software" rows={asked.data?.budget} id="table-budget" />
        {asked.data?.remarks.map((r) => (
          <Text key={r} fontSize="sm" color="ink.soft" mt="2">
            {r}
          </Text>
        ))}
      </Box>
    </Grid>
  )
}
