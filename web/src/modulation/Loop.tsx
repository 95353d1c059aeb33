import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"
import { useState } from "react"

import { useLoop } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { Fault, Quiet } from "../ui/Page"
import { Rows } from "../ui/Rows"
import { Choice } from "./Choice"
import { Field } from "./Field"

const SCHOOLS = ["every sample", "every half period"] as const
const UPDATES = ["twice", "once"] as const
const GAINS = [
  ["voltage", "volts for a volt missing"],
  ["damping", "volts for an ampere into the capacitor"],
  ["resonant", "sum at the line's frequency, a second"],
] as const

/** The loop that holds the output: how it is sampled, its gains, and what a step of the load then does. */
export function Loop({ handle }: { handle: DesignHandle }) {
  const [setting, setSetting] = useState<Record<string, string>>({})
  const asked = useLoop(handle.design, setting)
  const bench = asked.data
  const give = (name: string) => (text: string) => setSetting({ ...setting, [name]: text })
  const fast = (setting.school ?? "every sample") === "every sample"
  return (
    <Grid
      flex="1"
      minH="0"
      templateColumns="minmax(0, 0.8fr) minmax(0, 1fr)"
      data-testid="voltage-loop"
      data-fresh={!asked.isPlaceholderData && !asked.isFetching}
      data-stable={bench?.stable}
    >
      <Box px="5" pb="3" overflowY="auto" minH="0">
        <Choice title="corrects" names={SCHOOLS} here={setting.school ?? "every sample"} take={give("school")} id="school" />
        {fast && <Choice title="a carrier" names={UPDATES} here={setting.updates ?? "twice"} take={give("updates")} id="updates" />}
        <Box maxW="420px" mt="1">
          {fast &&
            GAINS.map(([name, title]) => <Field key={name} wide title={title} name={name} shown={bench?.asked[name]} give={give(name)} />)}
          {!fast && <Field wide title="share corrected each half period" name="share" shown={bench?.asked.share} give={give("share")} />}
          <Field wide title="load put on, of the designed one" name="step" shown={bench?.asked.step} give={give("step")} />
        </Box>
        {Object.keys(setting).some((k) => k !== "school") && (
          <Quiet
            fontSize="sm"
            textDecoration="underline"
            onClick={() => setSetting(setting.school ? { school: setting.school } : {})}
            data-testid="as-proposed"
          >
            as proposed
          </Quiet>
        )}
        {asked.error && <Fault mt="2">{asked.error.message}</Fault>}
        {bench?.remarks.map((r, n) => (
          <Text
            key={r}
            fontSize="sm"
            color={n === 0 && !bench.stable ? "stop" : "ink.soft"}
            fontWeight={n === 0 && !bench.stable ? 600 : 400}
            mt="2"
          >
            {r}
          </Text>
        ))}
        <Box mt="3">
          <Rows rows={bench?.figures} id="loop-figures" />
        </Box>
      </Box>
      <Box px="4" pb="3" overflowY="auto" minH="0" borderLeft="1px solid" borderColor="hair">
        {!bench && !asked.error && (
          <Flex align="center" gap="3" p="5">
            <Spinner color="copper" /> trying gains …
          </Flex>
        )}
        {bench?.charts.map((c) => (
          <Plot key={c.key} chart={c} />
        ))}
      </Box>
    </Grid>
  )
}
