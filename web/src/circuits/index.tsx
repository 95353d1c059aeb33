import { Flex, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { BlockReport } from "../api/client"
import { Quiet } from "../ui/Page"
import { useManifest } from "../api/hooks"
import { CurrentPath } from "./conduction"
import { ControllerCircuit } from "./controller"
import { DeclaredCircuit } from "./declared"
import { GateCircuit } from "./gates"
import { FrontEndCircuit } from "./frontEnds"
import { HeatPath } from "./heat"
import { IsolationMap } from "./isolation"
import { PrechargeCircuit } from "./precharge"
import { ProtectionCircuit } from "./protection"
import { InputCircuit, SourceCircuit, TransformerCircuit } from "./lowSide"
import { BridgeCircuit, FilterCircuit, LinkCircuit, LoadCircuit, RectifierCircuit } from "./highSide"

export type Values = Record<string, string>

const BY_BLOCK: Record<string, (p: { v: Values }) => React.ReactNode> = {
  source: SourceCircuit,
  input_stage: InputCircuit,
  controller: ControllerCircuit,
  bridge_drive: GateCircuit,
  front_drive: GateCircuit,
  precharge: PrechargeCircuit,
  protection: ProtectionCircuit,
  heat: HeatPath,
  isolation: IsolationMap,
  front_end: FrontEndCircuit,
  oscillator: FrontEndCircuit,
  transformer: TransformerCircuit,
  iron_transformer: TransformerCircuit,
  rectifier: RectifierCircuit,
  dc_link: LinkCircuit,
  h_bridge: BridgeCircuit,
  output_filter: FilterCircuit,
  load: LoadCircuit,
}

/** The references of a block's parts, by the field that chooses each. */
const references = (block: BlockReport): Values =>
  Object.fromEntries(block.figures.flatMap((f) => (f.reference ? [[f.address.replace(`${block.key}.`, "@"), f.reference]] : [])))

/** The circuit of a block with its live values; where it has conduction steps, they can be stepped through on it. */
export function Circuit({ block }: { block: BlockReport }) {
  const [step, setStep] = useState<number>()
  const declared = useManifest().data?.stages.find((s) => s.key === block.key)?.circuit
  const Drawn = BY_BLOCK[block.key]
  if (!declared && !Drawn) return null
  const intervals = block.intervals ?? []
  const here = step === undefined ? undefined : intervals[step % intervals.length]
  const move = (by: number) => setStep((n) => ((n ?? (by > 0 ? -1 : 0)) + by + intervals.length) % intervals.length)
  return (
    <>
      <svg
        viewBox="0 0 470 194"
        width="100%"
        role="img"
        aria-label={`circuit of the ${block.title.toLowerCase()}`}
        style={{ color: "var(--chakra-colors-ink)", display: "block" }}
      >
        {declared ? (
          <DeclaredCircuit circuit={declared} block={block} />
        ) : (
          Drawn && <Drawn v={{ ...block.drawing, ...references(block) }} />
        )}
        {here && <CurrentPath path={here.path} />}
      </svg>
      {intervals.length > 0 && (
        <Flex gap="2" align="baseline" fontSize="13px" pb="1.5" mb="1" borderBottom="1px solid" borderColor="hair" data-testid="conduction">
          <Quiet fontSize="13px" onClick={() => move(-1)} aria-label="interval before">
            ‹
          </Quiet>
          <Quiet fontSize="13px" onClick={() => move(1)} aria-label="next interval" data-testid="next-interval">
            ›
          </Quiet>
          {here ? (
            <>
              <Text flex="1">
                <b>
                  {(step ?? 0) + 1}/{intervals.length} {here.title}, {here.duration}.
                </b>{" "}
                {here.text}
              </Text>
              <Quiet fontSize="12px" textDecoration="underline" onClick={() => setStep(undefined)}>
                done
              </Quiet>
            </>
          ) : (
            <Text color="ink.soft">step through the conducting devices and where the current flows</Text>
          )}
        </Flex>
      )}
    </>
  )
}
