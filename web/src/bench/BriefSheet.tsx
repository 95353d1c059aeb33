import { Box, Checkbox, Flex, Input, NativeSelect, Text } from "@chakra-ui/react"
import { useEffect, useState } from "react"

import type { BriefField, Design, Problem, RuleName } from "../api/client"
import { useRules } from "../api/hooks"
import { Fault } from "../ui/Page"

interface Props {
  design: Design
  fields: readonly BriefField[]
  change: (part: Partial<Design>) => Promise<Problem | null>
}

/** The brief as a form: every entry is taken as it is left, or refused with the reason beside it. */
export function BriefSheet({ design, fields, change }: Props) {
  const sections = [...new Set(fields.map((f) => f.section))]
  const put = async (field: BriefField, value: unknown) => {
    const [section, name] = field.address.split(".") as [string, string?]
    const brief = (design.brief ?? {}) as Record<string, Record<string, unknown>>
    const next = name ? { ...brief, [section]: { ...brief[section], [name]: value } } : { ...brief, [section]: value }
    return change({ brief: next as Design["brief"] })
  }
  return (
    <Box data-testid="brief-sheet">
      {sections.map((s) => (
        <Box key={s} mb="3" role="group" aria-label={s}>
          <Text fontWeight="700" color="copper" fontSize="sm" pb="0.5" borderBottom="1px solid" borderColor="hair">
            {s}
          </Text>
          {fields.filter((f) => f.section === s).map((f) => (f.many ? <Many key={f.address} field={f} put={put} /> : <Entry key={f.address} field={f} put={put} />))}
        </Box>
      ))}
      <HouseRules rules={design.rules ?? "usual"} change={change} />
    </Box>
  )
}

type Put = (field: BriefField, value: unknown) => Promise<Problem | null>

function Entry({ field: f, put }: { field: BriefField; put: Put }) {
  const [text, setText] = useState(f.text)
  const [refused, setRefused] = useState<string>()
  useEffect(() => (setText(f.text), setRefused(undefined)), [f.text])
  const take = async (value: string) => {
    if (value === f.text) return setRefused(undefined)
    const whole = f.unit === "1" && /^\s*\d+\s*$/.test(value)
    const problem = await put(f, value.trim() === "" ? null : whole ? Number(value) : value)
    setRefused(problem?.problems?.find((p) => p.field.includes(f.address) || f.address.includes(p.field.replace(/^brief\./, "")))?.message ?? problem?.detail)
  }
  const shared = { "aria-label": f.title, "data-testid": `brief-${f.address}` }
  return (
    <Box borderBottom="1px solid" borderColor="faint" py="0.5">
      <Flex align="center" gap="2" minH="30px">
        <Text flex="1" fontSize="sm">
          {f.title}
        </Text>
        <Text fontSize="12px" color="ink.soft" hideBelow="lg">
          {f.allowed}
        </Text>
        {f.options?.length ? (
          <NativeSelect.Root size="xs" w="130px">
            <NativeSelect.Field value={f.text} onChange={(e) => void take(e.target.value)} {...shared}>
              {f.options.map((o) => (
                <option key={o}>{o}</option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        ) : (
          <Input size="xs" w="130px" fontFamily="mono" textAlign="right" value={text} placeholder={f.text === "" ? "typical" : undefined} aria-invalid={!!refused}
            onChange={(e) => setText(e.target.value)} onBlur={() => void take(text)}
            onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && void take(text), e.key === "Escape" && (setText(f.text), setRefused(undefined)))}
            {...shared} />
        )}
      </Flex>
      {refused && <Fault>{refused}</Fault>}
    </Box>
  )
}

function Many({ field: f, put }: { field: BriefField; put: Put }) {
  const chosen = f.text.split(", ").filter(Boolean)
  const flip = (o: string) => void put(f, chosen.includes(o) ? chosen.filter((c) => c !== o) : [...chosen, o])
  return (
    <Flex wrap="wrap" columnGap="4" rowGap="1" py="2">
      {f.options?.map((o) => (
        <Checkbox.Root key={o} size="sm" checked={chosen.includes(o)} onCheckedChange={() => flip(o)}>
          <Checkbox.HiddenInput data-testid={`load-${o}`} />
          <Checkbox.Control borderColor="ink.soft" _checked={{ bg: "copper", borderColor: "copper", color: "copper.ink" }} />
          <Checkbox.Label>{o}</Checkbox.Label>
        </Checkbox.Root>
      ))}
    </Flex>
  )
}

function HouseRules({ rules, change }: { rules: RuleName; change: Props["change"] }) {
  const presets = useRules()
  return (
    <Box mb="3">
      <Text fontWeight="700" color="copper" fontSize="sm" pb="0.5" borderBottom="1px solid" borderColor="hair">
        House rules
      </Text>
      <Flex align="center" gap="3" pt="2">
        <NativeSelect.Root size="xs" w="130px">
          <NativeSelect.Field value={rules} onChange={(e) => void change({ rules: e.target.value as RuleName })} aria-label="House rules" data-testid="rules">
            {presets.data?.map((r) => (
              <option key={r.name}>{r.name}</option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Text fontSize="sm" color="ink.soft" flex="1">
          {presets.data?.find((r) => r.name === rules)?.why}
        </Text>
      </Flex>
    </Box>
  )
}
