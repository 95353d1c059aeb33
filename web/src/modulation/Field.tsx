import { Flex, Input, Text } from "@chakra-ui/react"
import { useState } from "react"

/** One number: what it now is, and what is typed in its place. */
export function Field({
  title,
  name,
  shown,
  give,
  wide = false,
}: {
  title: string
  name: string
  shown: string | undefined
  give: (text: string) => void
  wide?: boolean
}) {
  const [text, setText] = useState("")
  const done = () => {
    if (text.trim()) give(text.trim())
    setText("")
  }
  return (
    <Flex align="center" gap="2" fontSize="sm" minH={wide ? "30px" : undefined}>
      <Text color="ink.soft" flex={wide ? "1" : undefined}>
        {title}
      </Text>
      <Input
        size="xs"
        w="92px"
        fontFamily="mono"
        textAlign="right"
        placeholder={shown}
        value={text}
        aria-label={title}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && done())}
        data-testid={`wave-${name}`}
      />
    </Flex>
  )
}
