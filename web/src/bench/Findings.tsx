import { Box, Flex, Input, Text } from "@chakra-ui/react"
import { memo, useState } from "react"

import type { Finding, PinValue, Problem } from "../api/client"
import { same } from "../ui/same"
import { Fault, Plain, Quiet, Strong } from "../ui/Page"
import { Gem, SAID } from "../ui/Lozenge"
import { toldBy } from "../ui/TypedLine"

interface Props {
  findings: readonly Finding[]
  /** The block on screen: what concerns it comes first. */
  here?: { key: string; title: string }
  apply: (patch: Record<string, PinValue>) => unknown
  jump: (finding: Finding) => void
  /** Waive a finding with a reason, or with none take the waiver back. */
  waive?: (code: string, reason: string | null) => Promise<Problem | null>
}

/** Findings, those of the block on screen first, worst first; each leads to its figure and offers its cure. Those that are waived come last, with the reason. */
export function Findings({ findings, here, ...acts }: Props) {
  const open = findings.filter((f) => f.waived == null)
  const near = open.filter((f) => f.block === here?.key)
  const far = open.filter((f) => f.block !== here?.key)
  const waived = findings.filter((f) => f.waived != null)
  const counted = [
    ...(["stop", "fix", "watch", "note"] as const).map((s) => [s, open.filter((f) => f.severity === s).length] as const),
    ["waived", waived.length] as const,
  ]
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
      {here && near.length > 0 && <Part>{here.title}</Part>}
      {near.map((f) => (
        <Item key={f.code} finding={f} {...acts} />
      ))}
      {near.length > 0 && far.length > 0 && <Part>Elsewhere</Part>}
      {far.map((f) => (
        <Item key={f.code} finding={f} {...acts} />
      ))}
      {waived.map((f) => (
        <Waived key={f.code} finding={f} {...acts} />
      ))}
    </Box>
  )
}

const Part = ({ children }: { children: string }) => (
  <Text as="h3" fontSize="sm" fontWeight="600" color="ink.soft" pt="2">
    {children}
  </Text>
)

type ItemProps = { finding: Finding } & Omit<Props, "findings" | "here">

const Item = memo(Plainly, (a, b) => a.apply === b.apply && a.jump === b.jump && a.waive === b.waive && same(a.finding, b.finding))

function Plainly({ finding: f, apply, jump, waive }: ItemProps) {
  const [asking, setAsking] = useState(false)
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
        {f.unavoidable && (
          <Text fontSize="sm" mt="0.5" lineHeight="1.35" data-testid={`unavoidable-${f.code}`}>
            <b>Not avoidable here:</b> {f.unavoidable}.
          </Text>
        )}
        <Flex gap="2" mt="1.5" wrap="wrap" align="center">
          {first && (
            <Strong
              size="xs"
              h="auto"
              py="1"
              whiteSpace="normal"
              textAlign="left"
              maxW="full"
              onClick={() => apply(first.patch)}
              data-testid={`cure-${f.code}`}
            >
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
          {waive && f.severity !== "note" && (
            <Quiet
              onClick={() => setAsking(!asking)}
              textDecoration="underline"
              fontSize="xs"
              aria-expanded={asking}
              data-testid={`waive-${f.code}`}
            >
              waive
            </Quiet>
          )}
        </Flex>
        {asking && waive && <Reason finding={f} waive={waive} done={() => setAsking(false)} />}
      </Box>
    </Flex>
  )
}

/** A waiver asks for its reason; a stop says what it stands against. */
function Reason({ finding: f, waive, done }: { finding: Finding; waive: NonNullable<Props["waive"]>; done: () => void }) {
  const [text, setText] = useState("")
  const [refused, setRefused] = useState<string>()
  const keep = async () => {
    const problem = await waive(f.code, text.trim())
    setRefused(toldBy(problem))
    if (!problem) done()
  }
  return (
    <Box mt="1.5">
      {f.severity === "stop" && (
        <Text fontSize="sm" color="stop" mb="1">
          This one breaks parts or hurts people. Only waive it if a measurement says otherwise.
        </Text>
      )}
      <Flex gap="2">
        <Input
          size="xs"
          autoFocus
          value={text}
          maxLength={400}
          placeholder="why this is accepted"
          aria-label="reason"
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && void keep(), e.key === "Escape" && done())}
          data-testid={`reason-${f.code}`}
        />
        <Plain size="xs" onClick={() => void keep()} data-testid={`keep-waiver-${f.code}`}>
          keep
        </Plain>
      </Flex>
      {refused && <Fault>{refused}</Fault>}
    </Box>
  )
}

const Waived = ({ finding: f, waive, jump }: ItemProps) => (
  <Flex gap="2.5" py="2" borderBottom="1px solid" borderColor="faint" color="ink.soft" data-testid={`waived-${f.code}`}>
    <Box pt="3px">
      <Gem severity={f.severity} />
    </Box>
    <Box minW="0" flex="1" fontSize="sm">
      <Text lineHeight="1.25" textDecoration="line-through">
        {f.title}
      </Text>
      <Text mt="0.5">waived: {f.waived}</Text>
      <Quiet onClick={() => jump(f)} textDecoration="underline" fontSize="xs">
        show figure
      </Quiet>
      <Quiet onClick={() => void waive?.(f.code, null)} textDecoration="underline" fontSize="xs" data-testid={`unwaive-${f.code}`}>
        withdraw
      </Quiet>
    </Box>
  </Flex>
)
