import { Box, Flex, Input, Text } from "@chakra-ui/react"
import { useEffect, useId, useState } from "react"

import type { Problem } from "../api/client"
import { Fault } from "./Page"

interface Props {
  title: string
  hint?: string
  /** What stands there now. */
  text: string
  strong?: boolean
  placeholder?: string
  id: string
  /** What else is to be said of it. */
  note?: string
  /** Take what was typed; resolves to why it is refused, or to nothing. */
  take: (typed: string) => Promise<string | undefined>
}

/** A line of a form: what is typed is taken as it is left, or refused with the reason below it and kept for correction. */
export function TypedLine({ title, hint, text: now, strong, placeholder, id, note, take }: Props) {
  const [text, setText] = useState(now)
  const [refused, setRefused] = useState<string>()
  const told = useId()
  useEffect(() => (setText(now), setRefused(undefined)), [now])
  const keep = async () => setRefused(text === now ? undefined : await take(text))
  const keys = (e: React.KeyboardEvent) => {
    e.stopPropagation()
    if (e.key === "Enter") void keep()
    if (e.key !== "Escape") return
    setText(now)
    setRefused(undefined)
  }
  return (
    <Box borderBottom="1px solid" borderColor="faint" py="0.5">
      <Flex align="center" gap="2" minH="30px">
        <Text flex="1" fontSize="sm" fontWeight={strong ? 700 : 400}>
          {title}
        </Text>
        <Text fontSize="12px" color="ink.soft" hideBelow="lg">
          {hint}
        </Text>
        <Input
          size="xs"
          w="130px"
          fontFamily="mono"
          textAlign="right"
          value={text}
          placeholder={placeholder}
          aria-label={title}
          aria-invalid={!!refused}
          aria-describedby={refused && told}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => void keep()}
          onKeyDown={keys}
          data-testid={id}
        />
      </Flex>
      {note && !refused && (
        <Text fontSize="12px" color="copper" textAlign="right" role="status" data-testid={`${id}-note`}>
          {note}
        </Text>
      )}
      {refused && <Fault id={told}>{refused}</Fault>}
    </Box>
  )
}

/** What a refusal says of the first thing it names. */
export const toldBy = (problem: Problem | null) => (problem ? (problem.problems?.[0]?.message ?? problem.detail) : undefined)
