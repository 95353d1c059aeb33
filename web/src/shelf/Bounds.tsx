import { Flex, Input, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { PartColumn } from "../api/client"
import { Plain, Quiet } from "../ui/Page"
import type { Bound } from "./usePartTable"

/** Which figures the table is bounded by, and one more. */
export function Bounds({
  columns,
  bounds,
  set,
}: {
  columns: readonly PartColumn[]
  bounds: readonly Bound[]
  set: (bounds: Bound[]) => void
}) {
  const [name, setName] = useState("")
  const [from, setFrom] = useState("")
  const [to, setTo] = useState("")
  const numeric = columns.filter((c) => c.filled === "number")
  const title = (of: string) => columns.find((c) => c.name === of)?.title ?? of
  const unit = numeric.find((c) => c.name === name)?.unit
  const add = () => (set([...bounds.filter((b) => b.name !== name), { name, from, to }]), setName(""), setFrom(""), setTo(""))
  return (
    <Flex asChild gap="2" align="center" wrap="wrap" fontSize="sm">
      <form onSubmit={(e) => (e.preventDefault(), name && (from || to) && add())} data-testid="bounds">
        {bounds.map((b) => (
          <Flex
            key={b.name}
            align="center"
            gap="1"
            pl="2"
            border="1px solid"
            borderColor="copper"
            borderRadius="3px"
            bg="sheet"
            data-testid={`bound-${b.name}`}
          >
            <Text>
              {title(b.name)}
              {b.from && ` from ${b.from}`}
              {b.to && ` to ${b.to}`}
            </Text>
            <Quiet
              onClick={() => set(bounds.filter((other) => other.name !== b.name))}
              aria-label={`remove the filter of ${title(b.name)}`}
            >
              ×
            </Quiet>
          </Flex>
        ))}
        <NativeSelect.Root size="xs" w="210px">
          <NativeSelect.Field value={name} onChange={(e) => setName(e.target.value)} aria-label="filter by" data-testid="bound-name">
            <option value="">filter by …</option>
            {numeric.map((c) => (
              <option key={c.name} value={c.name}>
                {c.title}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        {name && (
          <>
            <Input
              size="xs"
              w="86px"
              fontFamily="mono"
              placeholder="from"
              aria-label="from"
              value={from}
              onChange={(e) => setFrom(e.target.value)}
              data-testid="bound-from"
            />
            <Input
              size="xs"
              w="86px"
              fontFamily="mono"
              placeholder="to"
              aria-label="to"
              value={to}
              onChange={(e) => setTo(e.target.value)}
              data-testid="bound-to"
            />
            <Text color="ink.soft">{unit}</Text>
            <Plain size="xs" type="submit" data-testid="add-bound">
              Filter
            </Plain>
          </>
        )}
      </form>
    </Flex>
  )
}
