import { Flex, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { BlockReport } from "../api/client"
import { Quiet } from "../ui/Page"
import { CurrentPath, DrawnCircuit } from "./drawn"

/** The circuit of a block with its live values; where it has conduction steps, they can be stepped through on it. */
export function Circuit({ block }: { block: BlockReport }) {
  const [step, setStep] = useState<number>()
  const drawing = block.circuit
  if (!drawing) return null
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
        <DrawnCircuit drawing={drawing} />
        {here && drawing.paths[here.path] && <CurrentPath path={here.path} d={drawing.paths[here.path]!} />}
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
