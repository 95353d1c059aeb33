import { Box, Checkbox, Flex, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { BriefField, Design, Problem, RuleField } from "../api/client"
import { useRules } from "../api/hooks"
import { Quiet } from "../ui/Page"
import { BriefPicture } from "./BriefPicture"
import { RailOrigin } from "./RailOrigin"
import type { Edit } from "./useDesign"
import { toldBy, TypedLine } from "../ui/TypedLine"

interface Props {
  design: Design
  fields: readonly BriefField[]
  rules: readonly RuleField[]
  change: (edit: Edit, edited?: string) => Promise<Problem | null>
  /** What of the brief followed the last edit. */
  moved: string
}

/** What the picture asks, the form does not ask again. */
const drawn = (field: BriefField) => field.address.endsWith(".kind")

/** The brief as a picture, and as a form beneath it: every entry is taken as it is left, or refused with the reason beside it. */
export function BriefSheet({ design, fields, rules, change, moved }: Props) {
  const sections = [...new Set(fields.filter((f) => !drawn(f)).map((f) => f.section))]
  const put = async (field: BriefField, value: unknown) =>
    change((now) => {
      const brief = structuredClone(now.brief ?? {})
      const path = field.address.split(".")
      const within = (names: string[]) => names.reduce<object>((inner, name) => Reflect.get(inner, name) as object, brief)
      const loads = path.findIndex((name) => name === "loads" || name === "shares")
      if (loads > 0) Object.assign(within(path.slice(0, loads)), shared(within(path.slice(0, loads)), path.slice(loads), value))
      else if (path.at(-1) === "kind")
        Reflect.set(within(path.slice(0, -2)), path.at(-2)!, another(within(path.slice(0, -2)), path.at(-2)!, value))
      else Reflect.set(within(path.slice(0, -1)), path.at(-1)!, value)
      return { brief }
    }, field.address)
  return (
    <Box data-testid="brief-sheet">
      <BriefPicture fields={fields} put={put} />
      <RailOrigin design={design} change={change} />
      {sections.map((s) => (
        <Box key={s} mb="3" role="group" aria-label={s}>
          <Text fontWeight="700" color="copper" fontSize="sm" pb="0.5" borderBottom="1px solid" borderColor="hair">
            {s}
          </Text>
          {fields
            .filter((f) => f.section === s && !drawn(f))
            .map((f) =>
              f.many ? (
                <Many key={f.address} field={f} put={put} />
              ) : (
                <Entry key={f.address} field={f} put={put} note={f.address.endsWith("power.surge") ? moved : ""} />
              ),
            )}
        </Box>
      ))}
      <HouseRules design={design} fields={rules} change={change} />
    </Box>
  )
}

/** The same with one entry replaced by what was typed: the server says whether it can be. */
const replaced = <T extends object>(whole: T, name: string, value: unknown): T => ({ ...whole, [name]: value })

/** A usual source or output of another kind in its place, or a further one; what an output is asked stays with it. */
function another(listed: object, place: string, kind: unknown) {
  const { power } = (Reflect.get(listed, place) ?? {}) as { power?: unknown }
  return power && kind !== "nothing" ? { kind, power } : { kind }
}

/** Loads with their shares of the power: a share stays with its load, whichever others come and go. */
function shared(output: { kind?: string; loads?: string[]; shares?: unknown[] }, [list, place]: string[], value: unknown) {
  if (output.kind === "HF") return { loads: value as string[] }
  const loads = output.loads ?? []
  const shares = loads.map((_, i) => output.shares?.[i] ?? null)
  if (list !== "loads") return { loads, shares: shares.map((s, i) => (place === String(i) ? value : s)) }
  const next = value as string[]
  return { loads: next, shares: next.map((load) => shares[loads.indexOf(load)] ?? null) }
}

type Put = (field: BriefField, value: unknown) => Promise<Problem | null>

function Entry({ field: f, put, note }: { field: BriefField; put: Put; note: string }) {
  const take = async (value: string) => {
    const whole = f.unit === "1" && /^\s*\d+\s*$/.test(value)
    const problem = await put(f, value.trim() === "" ? (f.allowed ? null : "") : whole ? Number(value) : value)
    return (
      problem?.problems?.find((p) => p.field.includes(f.address) || f.address.includes(p.field.replace(/^brief\./, "")))?.message ??
      toldBy(problem)
    )
  }
  if (!f.options?.length)
    return (
      <TypedLine
        title={f.title}
        hint={f.allowed}
        text={f.text}
        placeholder={f.absent || undefined}
        id={`brief-${f.address}`}
        take={take}
        note={note}
      />
    )
  return (
    <Flex align="center" gap="2" minH="30px" borderBottom="1px solid" borderColor="faint" py="0.5">
      <Text flex="1" fontSize="sm">
        {f.title}
      </Text>
      <NativeSelect.Root size="xs" w="130px">
        <NativeSelect.Field
          value={f.text}
          onChange={(e) => void put(f, e.target.value)}
          aria-label={f.title}
          data-testid={`brief-${f.address}`}
        >
          {f.options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Flex>
  )
}

function Many({ field: f, put }: { field: BriefField; put: Put }) {
  const chosen = f.text.split(", ").filter(Boolean)
  const flip = (o: string) => void put(f, chosen.includes(o) ? chosen.filter((c) => c !== o) : [...chosen, o])
  return (
    <Flex wrap="wrap" columnGap="4" rowGap="1" py="2">
      {f.options?.map((o) => (
        <Checkbox.Root key={o} size="sm" checked={chosen.includes(o)} onCheckedChange={() => flip(o)}>
          <Checkbox.HiddenInput data-testid={f.address.startsWith("outputs.0.") ? `load-${o}` : `brief-${f.address}-${o}`} />
          <Checkbox.Control borderColor="ink.soft" _checked={{ bg: "copper", borderColor: "copper", color: "copper.ink" }} />
          <Checkbox.Label>{o}</Checkbox.Label>
        </Checkbox.Root>
      ))}
    </Flex>
  )
}

function HouseRules({ design, fields, change }: { design: Design; fields: readonly RuleField[]; change: Props["change"] }) {
  const presets = useRules()
  const rules = design.rules ?? "usual"
  const [all, setAll] = useState(false)
  const set = (name: string, value: string) =>
    change((now) => ({ house: replaced(now.house ?? {}, name, value.trim() === "" ? null : value) }))
  const shown = all ? fields : fields.filter((f) => f.changed)
  return (
    <Box mb="3">
      <Text fontWeight="700" color="copper" fontSize="sm" pb="0.5" borderBottom="1px solid" borderColor="hair">
        House rules
      </Text>
      <Flex align="center" gap="3" pt="2">
        <NativeSelect.Root size="xs" w="130px">
          <NativeSelect.Field
            value={rules}
            onChange={(e) => void change({ rules: presets.data?.find((r) => r.name === e.target.value)?.name })}
            aria-label="House rules"
            data-testid="rules"
          >
            {presets.data?.map((r) => (
              <option key={r.name}>{r.name}</option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Text fontSize="sm" color="ink.soft" flex="1">
          {presets.data?.find((r) => r.name === rules)?.why}
        </Text>
        <Quiet onClick={() => setAll(!all)} textDecoration="underline" aria-expanded={all} data-testid="all-rules">
          {all ? "fewer" : "change one"}
        </Quiet>
      </Flex>
      {shown.map((f) => (
        <TypedLine
          key={f.name}
          title={f.title}
          hint={f.changed ? `preset ${f.preset}; ${f.allowed}` : f.allowed}
          text={f.text}
          strong={f.changed}
          id={`rule-${f.name}`}
          take={async (value) => toldBy(await set(f.name, value))}
        />
      ))}
    </Box>
  )
}
