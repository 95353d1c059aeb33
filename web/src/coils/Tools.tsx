import { Box, Flex, Grid, Input, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data, Refusal } from "../api/client"
import { Fault, Strong } from "../ui/Page"

interface Field<N extends string> {
  name: N
  title: string
  hint: string
}

const FITTINGS = [
  {
    path: "damper",
    title: "Damper for a ring",
    remark: "Read the ring's frequency, add a known capacitor across the switch, read it again.",
    fields: [
      { name: "bare", title: "ring, bare", hint: "8M" },
      { name: "added", title: "capacitor added", hint: "1n" },
      { name: "slowed", title: "ring with it", hint: "4.5M" },
      { name: "volts", title: "voltage swung", hint: "60 V" },
      { name: "frequency", title: "switching frequency", hint: "50k" },
    ],
  },
  {
    path: "clamp",
    title: "RCD clamp",
    remark: "What the leakage holds, and what the clamp really burns.",
    fields: [
      { name: "leakage", title: "leakage", hint: "0.9u" },
      { name: "current", title: "current turned off", hint: "14 A" },
      { name: "frequency", title: "turn-offs a second", hint: "60k" },
      { name: "reflected", title: "rests at, from the rail", hint: "60 V" },
      { name: "level", title: "clamp level, from the rail", hint: "95 V" },
      { name: "ripple", title: "ripple on it", hint: "5 V" },
    ],
  },
  {
    path: "turn-off",
    title: "Turn-off snubber",
    remark: "Slows the voltage while the current falls; burns what it held.",
    fields: [
      { name: "current", title: "current turned off", hint: "10 A" },
      { name: "fall", title: "fall time", hint: "80n" },
      { name: "volts", title: "voltage it rises to", hint: "48 V" },
      { name: "frequency", title: "switching frequency", hint: "50k" },
      { name: "shortest", title: "shortest on-time", hint: "3u" },
      { name: "most", title: "peak current of the switch", hint: "40 A" },
    ],
  },
  {
    path: "peak-detector",
    title: "Peak detector",
    remark: "One time constant decides how still it holds and how soon it follows.",
    fields: [
      { name: "resistor", title: "discharge resistor", hint: "100k" },
      { name: "capacitor", title: "capacitor", hint: "1u" },
      { name: "frequency", title: "frequency of the peaks", hint: "100" },
      { name: "peak", title: "peak held", hint: "10 V" },
      { name: "fall", title: "step down to follow", hint: "3 V" },
    ],
  },
] as const

/** Small tools for the winding bench; all is computed by the server. */
export const Tools = () => (
  <Grid
    flex="1"
    px="5"
    py="3"
    gap="5"
    templateColumns={{ base: "repeat(3, minmax(0, 1fr))", xl: "repeat(4, minmax(0, 1fr))" }}
    overflowY="auto"
    alignItems="start"
    data-testid="tools"
  >
    <Tool
      name="one-turn"
      title="One test turn"
      remark="Wind one turn over the core at work, read its voltage, and know how many make yours."
      fields={[
        { name: "volts_per_turn", title: "volts of one turn", hint: "3.1 V" },
        { name: "wanted", title: "voltage wanted", hint: "24 V" },
      ]}
      ask={async (v) => {
        const a = await data(client.POST("/api/coils/one-turn", { body: v }))
        return { lines: [...a.choices], remark: a.remark }
      }}
    />
    <Tool
      name="unknown-core"
      title="Unknown core"
      remark="Measure it, wind a test winding, read its inductance, then drive it with a square wave from high frequency down until the current bends up."
      fields={[
        { name: "area", title: "core area", hint: "125 mm²" },
        { name: "path", title: "magnetic path", hint: "95 mm" },
        { name: "turns", title: "test turns", hint: "10" },
        { name: "inductance", title: "inductance", hint: "330u" },
        { name: "volts", title: "test voltage, peak", hint: "12 V" },
        { name: "knee_frequency", title: "bends up at", hint: "6k" },
      ]}
      ask={async (v) => {
        const a = await data(client.POST("/api/coils/unknown-core", { body: v }))
        return {
          lines: [
            `likely ${a.family}`,
            `A_L ${a.texts.inductance_factor} a turn squared`,
            `permeability ${a.texts.permeability}`,
            `knee at ${a.texts.knee}, count on ${a.texts.usable}`,
          ],
          remark: a.remark,
        }
      }}
    />
    <Tool
      name="salvaged"
      title="Salvaged core"
      remark="Only its size is known: what could it carry here?"
      fields={[
        { name: "area", title: "core area", hint: "178 mm²" },
        { name: "window", title: "window, usable", hint: "190 mm²" },
        { name: "path", title: "magnetic path", hint: "97 mm" },
        { name: "frequency", title: "switching frequency", hint: "40k" },
        { name: "volts", title: "highest winding voltage", hint: "14.7 V" },
      ]}
      ask={async (v) => {
        const a = await data(client.POST("/api/coils/salvaged", { body: v }))
        return {
          lines: [
            `about ${a.texts.power}`,
            `at least ${a.texts.turns} primary turns`,
            `core loss up to ${a.texts.heat}`,
            `area product ${a.texts.product}`,
          ],
          remark: a.remark,
        }
      }}
    />
    {FITTINGS.map(({ path, ...tool }) => (
      <Tool key={path} {...tool} name={path} ask={async (v) => ({ ...(await data(client.POST(`/api/snubbers/${path}`, { body: v }))) })} />
    ))}
  </Grid>
)

interface Answer {
  lines: readonly string[]
  remark: string
}

interface Asking<N extends string> {
  name: string
  title: string
  remark: string
  fields: readonly Field<N>[]
  ask: (values: Record<N, string>) => Promise<Answer>
}

function Tool<const N extends string>({ name, title, remark, fields, ask }: Asking<N>) {
  const [values, setValues] = useState<Record<string, string>>({})
  const [answer, setAnswer] = useState<Answer>()
  const [refused, setRefused] = useState<string>()
  const work = async () => {
    try {
      setAnswer(await ask(Object.fromEntries(fields.map((f) => [f.name, (values[f.name] ?? "").trim() || f.hint])) as Record<N, string>))
      setRefused(undefined)
    } catch (error) {
      setAnswer(undefined)
      setRefused(error instanceof Refusal ? error.message : String(error))
    }
  }
  return (
    <Box bg="sheet" border="1px solid" borderColor="hair" p="4" data-testid={`tool-${name}`}>
      <Text fontWeight="700">{title}</Text>
      <Text fontSize="sm" color="ink.soft" mb="2">
        {remark}
      </Text>
      {fields.map((f) => (
        <Flex key={f.name} align="center" gap="3" minH="30px" fontSize="sm">
          <Text flex="1">{f.title}</Text>
          <Input
            size="xs"
            w="110px"
            fontFamily="mono"
            textAlign="right"
            placeholder={f.hint}
            value={values[f.name] ?? ""}
            aria-label={f.title}
            onChange={(e) => setValues({ ...values, [f.name]: e.target.value })}
            onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && void work())}
            data-testid={`${name}-${f.name}`}
          />
        </Flex>
      ))}
      <Strong size="xs" mt="2" onClick={() => void work()} data-testid={`work-${name}`}>
        calculate
      </Strong>
      {refused && <Fault mt="2">{refused}</Fault>}
      {answer && (
        <Box mt="3" fontSize="sm" data-testid={`answer-${name}`}>
          {answer.lines.map((l) => (
            <Text key={l} fontFamily="mono" fontWeight="600" fontSize="13px">
              {l}
            </Text>
          ))}
          <Text mt="1" color="ink.soft">
            {answer.remark}
          </Text>
        </Box>
      )}
    </Box>
  )
}
