import { Box, Flex, Text } from "@chakra-ui/react"

import type { RuleField, Solution } from "../api/client"
import { Plain, Quiet } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

/** What was decided, and why: waivers with their reasons, rules set otherwise, what is pinned, why this route. */
export function Record({
  handle,
  solution,
  waive,
  done,
}: {
  handle: DesignHandle
  solution: Solution
  waive: (code: string, reason: null) => unknown
  done: () => void
}) {
  const design = handle.design!
  const raised = new Map(solution.findings.map((f) => [f.code, f]))
  const waivers = design.waivers ?? []
  const changed = (handle.solved?.house ?? []).filter((r: RuleField) => r.changed)
  const pins = Object.entries(design.pins ?? {})
  return (
    <Box flex="1" minH="0" overflowY="auto" px="5" py="3" maxW="1100px" data-testid="record">
      <Flex align="baseline" gap="3" mb="3">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Record
        </Text>
        <Text fontSize="sm" color="ink.soft">
          what was decided here, and why; it goes with the design when it is exported
        </Text>
        <Plain size="xs" ml="auto" onClick={() => print()}>
          print
        </Plain>
        <Quiet onClick={done}>back to the bench</Quiet>
      </Flex>
      <Part title="Findings waived" empty={waivers.length ? "" : "None. A finding is waived beside it, with a reason."}>
        {waivers.map((w) => (
          <Flex key={w.code} gap="4" py="1.5" borderBottom="1px solid" borderColor="faint" fontSize="sm" data-testid={`record-${w.code}`}>
            <Text fontFamily="mono" w="90px" flexShrink="0">
              {w.on}
            </Text>
            <Box flex="1">
              <Text fontWeight="700">{raised.get(w.code)?.title ?? w.code}</Text>
              <Text color="ink.soft">{raised.get(w.code)?.cause ?? "Not raised any more: the waiver can go."}</Text>
              <Text>{w.reason}</Text>
            </Box>
            <Quiet onClick={() => void waive(w.code, null)}>withdraw</Quiet>
          </Flex>
        ))}
      </Part>
      <Part title={`House rules: ${design.rules ?? "usual"}`} empty={changed.length ? "" : "As the preset has them."}>
        {changed.map((r) => (
          <Line key={r.name} name={r.title} text={`${r.text} (preset ${r.preset})`} />
        ))}
      </Part>
      <Part title="Pinned by hand" empty={pins.length ? "" : "Nothing: every value is proposed."}>
        {pins.map(([address, value]) => (
          <Line key={address} name={titleOf(solution, address)} text={textOf(solution, address) ?? String(value)} />
        ))}
      </Part>
      {design.decision && (
        <Part title="Why this route" empty="">
          <Text fontSize="sm">
            {design.decision.chosen} was chosen from a comparison of {design.decision.rows.length} rows.
          </Text>
        </Part>
      )}
    </Box>
  )
}

const figure = (solution: Solution, address: string) => solution.blocks.flatMap((b) => b.figures).find((f) => f.pin === address)
const textOf = (solution: Solution, address: string) => figure(solution, address)?.text
const titleOf = (solution: Solution, address: string) => {
  const block = solution.blocks.find((b) => b.key === address.split(".")[0])
  return [block?.title, figure(solution, address)?.title ?? address].filter(Boolean).join(": ")
}

const Part = ({ title, empty, children }: { title: string; empty: string; children: React.ReactNode }) => (
  <Box mb="4">
    <Text fontWeight="700" color="copper" fontSize="sm" pb="0.5" borderBottom="1px solid" borderColor="hair">
      {title}
    </Text>
    {empty && (
      <Text fontSize="sm" color="ink.soft" py="1">
        {empty}
      </Text>
    )}
    {children}
  </Box>
)

const Line = ({ name, text }: { name: string; text: string }) => (
  <Flex gap="4" py="1" borderBottom="1px solid" borderColor="faint" fontSize="sm">
    <Text flex="1">{name}</Text>
    <Text fontFamily="mono" fontWeight="600">
      {text}
    </Text>
  </Flex>
)
