import { Flex, Text } from "@chakra-ui/react"

import { Plain } from "../ui/Page"

/** One of a few words, side by side. */
export const Choice = <T extends string>({
  title,
  names,
  here,
  take,
  id,
}: {
  title: string
  names: readonly T[]
  here: string | undefined
  take: (name: T) => void
  id: string
}) => (
  <Flex align="center" gap="2" minH="30px">
    <Text fontSize="sm" w="96px" color="ink.soft">
      {title}
    </Text>
    {names.map((n) => (
      <Plain
        key={n}
        size="xs"
        bg={n === here ? "copper.soft" : "sheet"}
        aria-pressed={n === here}
        onClick={() => take(n)}
        data-testid={`${id}-${n.replaceAll(/[ ,]+/g, "-")}`}
      >
        {n}
      </Plain>
    ))}
  </Flex>
)
