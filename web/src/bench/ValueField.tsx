import { Input, NativeSelect } from "@chakra-ui/react"
import { useEffect, useRef, useState } from "react"

import { useParts } from "../api/hooks"
import type { Figure } from "../api/client"

interface Props {
  figure: Figure
  put: (value: string) => Promise<boolean>
  leave: () => void
  /** The element that says why the last value was refused. */
  refused?: string
}

/** Where a value is typed as people write it, or a part or word is chosen. Enter takes it, Escape leaves. */
export function ValueField({ figure: f, put, leave, refused }: Props) {
  const parts = useParts(f.part_kind ?? null)
  const field = useRef<HTMLInputElement & HTMLSelectElement>(null)
  const [text, setText] = useState(f.text)
  const ready = !f.part_kind || parts.data !== undefined
  useEffect(() => {
    field.current?.focus()
    field.current?.select?.()
  }, [ready])
  const escape = (e: React.KeyboardEvent) => {
    e.stopPropagation()
    if (e.key === "Escape") leave()
  }
  const choices = f.part_kind
    ? (parts.data ?? []).map((p) => [p.id, `${p.id} · ${p.label}`] as const)
    : (f.part_options ?? []).map((o) => [o, o] as const)
  if (f.part_kind || choices.length)
    return (
      <NativeSelect.Root size="xs" w="230px">
        <NativeSelect.Field
          ref={field}
          value={f.choice ?? ""}
          onChange={(e) => void put(e.target.value)}
          onBlur={leave}
          onKeyDown={escape}
          aria-label={f.title}
          aria-describedby={refused}
          aria-invalid={!!refused}
          data-testid={`input-${f.address}`}
        >
          {choices.map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    )
  return (
    <Input
      ref={field}
      size="xs"
      w="118px"
      fontFamily="mono"
      textAlign="right"
      value={text}
      title={f.allowed ? `allowed ${f.allowed}` : undefined}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={(e) => {
        escape(e)
        if (e.key === "Enter") void put(text)
      }}
      onBlur={() => text === f.text && leave()}
      aria-label={f.title}
      aria-describedby={refused}
      aria-invalid={!!refused}
      data-testid={`input-${f.address}`}
    />
  )
}
