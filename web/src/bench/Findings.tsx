import { Box, Flex, Text } from "@chakra-ui/react"
import { memo } from "react"

import type { Finding, PinValue } from "../api/client"
import { same } from "../ui/same"
import { Plain, Quiet, Strong } from "../ui/Page"
import { Gem, SAID } from "../ui/Lozenge"

interface Props {
  findings: readonly Finding[]
  apply: (patch: Record<string, PinValue>) => unknown
  jump: (finding: Finding) => void
}

/** Findings, worst first; each leads to its figure and offers its cure. */
export function Findings({ findings, apply, jump }: Props) {
  const counted = (["stop", "fix", "watch", "note"] as const)
    .map((s) => [s, findings.filter((f) => f.severity === s).length] as const)
    .filter(([, n]) => n > 0)
    .map(([s, n]) => `${n} ${s}`)
    .join(" · ")
  return (
    <Box as="section" aria-label="findings" data-testid="findings">
      <Flex align="baseline" gap="2" pb="1.5" borderBottom="1px solid" borderColor="hair">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Findings
        </Text>
        <Text fontSize="sm" color="ink.soft" data-testid="finding-count">
          {counted || "none"}
        </Text>
      </Flex>
      {findings.map((f) => (
        <Item key={f.code} finding={f} apply={apply} jump={jump} />
      ))}
    </Box>
  )
}

const Item = memo(Plainly, (a, b) => a.apply === b.apply && a.jump === b.jump && same(a.finding, b.finding))

function Plainly({ finding: f, apply, jump }: { finding: Finding } & Omit<Props, "findings">) {
  const [first, ...rest] = f.cures ?? []
  return (
    <Flex gap="2.5" py="2.5" borderBottom="1px solid" borderColor="faint" data-testid={`finding-${f.code}`}>
      <Box pt="3px">
        <Gem severity={f.severity} />
      </Box>
      <Box minW="0" flex="1">
        <Text fontWeight="700" lineHeight="1.25" color={f.severity === "stop" || f.severity === "fix" ? SAID[f.severity] : "ink"}>
          {f.title}
        </Text>
        <Text fontSize="sm" mt="0.5" lineHeight="1.35">
          {f.cause}
        </Text>
        <Text fontSize="sm" mt="0.5" lineHeight="1.35" color="ink.soft">
          {f.remedy}
        </Text>
        <Flex gap="2" mt="1.5" wrap="wrap" align="center">
          {first && (
            <Strong size="xs" h="auto" py="1" whiteSpace="normal" textAlign="left" maxW="full" onClick={() => apply(first.patch)} data-testid={`cure-${f.code}`}>
              {first.label}
            </Strong>
          )}
          {rest.map((c) => (
            <Plain key={c.label} size="xs" h="auto" py="1" whiteSpace="normal" textAlign="left" maxW="full" onClick={() => apply(c.patch)}>
              {c.label}
            </Plain>
          ))}
          <Quiet onClick={() => jump(f)} textDecoration="underline" fontSize="xs">
            show figure
          </Quiet>
        </Flex>
      </Box>
    </Flex>
  )
}
