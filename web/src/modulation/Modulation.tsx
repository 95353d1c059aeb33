import "../coils/coils.css"

import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { ModulationBench, Solution } from "../api/client"
import { useModulation } from "../api/hooks"
import { Plot } from "../bench/Plot"
import type { DesignHandle } from "../bench/useDesign"
import { Fault, Plain, Quiet } from "../ui/Page"
import { Rows } from "../ui/Rows"
import { Scope } from "../scope/Scope"
import { Choice } from "./Choice"
import { Field } from "./Field"
import { Loop } from "./Loop"
import { SineTable } from "./SineTable"

export type WavePage = "wave" | "scope" | "loop" | "sine table"
/** What there is to look at: any output on the scope, a bridge's modulation, a sine's loop and table. */
const pagesOf = (solution: Solution): WavePage[] => [
  ...(solution.blocks.some((b) => b.key === "h_bridge") ? (["wave"] as const) : []),
  "scope",
  ...(solution.operating ? (["loop", "sine table"] as const) : []),
]
const SCHEMES = ["unipolar", "bipolar", "hybrid", "modified", "square"] as const
const SAMPLINGS = ["natural", "regular", "asymmetric"] as const
export type Setting = Partial<Record<"scheme" | "sampling" | "index" | "carrier" | "fraction" | "dead_time", string>>

/** The modulation bench: how the bridge may be switched, what each way does, and the table that plays it. */
export function Modulation({
  handle,
  solution,
  page: wanted,
  show,
  done,
}: {
  handle: DesignHandle
  solution: Solution
  page: WavePage
  show: (page: WavePage) => void
  done: () => void
}) {
  const [setting, setSetting] = useState<Setting>({})
  const pages = pagesOf(solution)
  const page = pages.includes(wanted) ? wanted : "scope"
  const asked = useModulation(pages.includes("wave") ? handle.design : undefined, setting)
  const bench = asked.data
  return (
    <Flex direction="column" flex="1" minH="0" data-testid="modulation" data-fresh={!asked.isPlaceholderData && !asked.isFetching}>
      <Flex px="5" pt="3" pb="1" gap="4" align="baseline">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Waves
        </Text>
        <Text color="ink.soft" fontSize="sm" truncate>
          tried out here, not pinned: the design keeps its own
        </Text>
        <Flex ml="auto" gap="2" flexShrink="0">
          {pages.map((p) => (
            <Plain
              key={p}
              size="xs"
              bg={p === page ? "copper.soft" : "sheet"}
              aria-pressed={p === page}
              onClick={() => show(p)}
              data-testid={`page-${p.replace(" ", "-")}`}
            >
              {p}
            </Plain>
          ))}
        </Flex>
        <Quiet onClick={done} textDecoration="underline" data-testid="close-modulation">
          back to the sheet
        </Quiet>
      </Flex>
      {page === "sine table" && <SineTable bench={bench} />}
      {page === "scope" && <Scope handle={handle} />}
      {page === "loop" && <Loop handle={handle} />}
      {page === "wave" && !bench && !asked.error && (
        <Flex flex="1" align="center" justify="center" gap="3">
          <Spinner color="copper" /> working the edges out …
        </Flex>
      )}
      {page === "wave" && (bench || asked.error) && (
        <Grid flex="1" minH="0" templateColumns="minmax(0, 1fr) minmax(0, 1fr)">
          <Box px="5" pb="3" overflowY="auto" minH="0">
            <Settings bench={bench} setting={setting} change={(s) => setSetting({ ...setting, ...s })} reset={() => setSetting({})} />
            {asked.error && <Fault mt="2">{asked.error.message}</Fault>}
            {bench && <Schemes bench={bench} take={(scheme) => setSetting({ ...setting, scheme })} />}
            {bench?.remarks.map((r) => (
              <Text key={r} fontSize="sm" color="ink.soft" mb="1">
                {r}
              </Text>
            ))}
            <Rows rows={bench?.figures} id="wave-figures" />
          </Box>
          <Box px="4" pb="3" overflowY="auto" minH="0" borderLeft="1px solid" borderColor="hair">
            {bench?.charts.map((c) => (
              <Plot key={c.key} chart={c} />
            ))}
          </Box>
        </Grid>
      )}
    </Flex>
  )
}

function Settings({
  bench,
  setting,
  change,
  reset,
}: {
  bench: ModulationBench | undefined
  setting: Setting
  change: (s: Setting) => void
  reset: () => void
}) {
  const scheme = setting.scheme ?? bench?.asked.scheme
  const sine = scheme !== "modified" && scheme !== "square"
  return (
    <Box mb="2">
      <Choice title="scheme" names={SCHEMES} here={scheme} take={(n) => change({ scheme: n })} id="scheme" />
      {sine && (
        <Choice
          title="sampling"
          names={SAMPLINGS}
          here={setting.sampling ?? bench?.asked.sampling}
          take={(n) => change({ sampling: n })}
          id="sampling"
        />
      )}
      <Flex gap="5" wrap="wrap" mt="1">
        {sine && <Field title="index" name="index" shown={bench?.asked.index} give={(index) => change({ index })} />}
        {sine && <Field title="carrier" name="carrier" shown={bench?.asked.carrier} give={(carrier) => change({ carrier })} />}
        {scheme === "modified" && (
          <Field title="share of the time" name="fraction" shown={bench?.asked.fraction} give={(fraction) => change({ fraction })} />
        )}
        <Field title="dead time" name="dead_time" shown={bench?.asked.dead_time} give={(dead_time) => change({ dead_time })} />
        {Object.keys(setting).length > 0 && (
          <Quiet fontSize="sm" textDecoration="underline" onClick={reset} data-testid="as-designed">
            as designed
          </Quiet>
        )}
      </Flex>
      {scheme === "modified" && (
        <Flex gap="2" mt="1.5" align="center">
          <Text fontSize="sm" w="96px" color="ink.soft">
            keep
          </Text>
          {bench?.presets.map(({ name, text }) => (
            <Plain
              key={name}
              size="xs"
              bg={text === bench.asked.fraction ? "copper.soft" : "sheet"}
              onClick={() => change({ fraction: text })}
              data-testid={`preset-${name.replaceAll(" ", "-")}`}
            >
              {name}
            </Plain>
          ))}
        </Flex>
      )}
    </Box>
  )
}

const Schemes = ({ bench, take }: { bench: ModulationBench; take: (scheme: string) => void }) => (
  <Box mb="3" mt="2">
    <Text fontWeight="700" fontSize="sm">
      Side by side, at the same index, carrier and dead time
    </Text>
    <table className="options" data-testid="schemes">
      <thead>
        <tr>
          <td />
          {bench.columns.map(({ name, text }) => (
            <th key={name}>{text}</th>
          ))}
          <td />
        </tr>
      </thead>
      <tbody>
        {bench.rows.map((r) => (
          <tr key={r.scheme} data-here={r.here} data-testid={`row-${r.scheme}`}>
            <td>{r.scheme}</td>
            {bench.columns.map(({ name }) => (
              <td key={name}>{r.texts[name]}</td>
            ))}
            <td>
              {r.here ? (
                <Text as="span" fontFamily="body" fontSize="12px" color="copper">
                  here
                </Text>
              ) : (
                <button onClick={() => take(r.scheme)}>look</button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  </Box>
)
