import { Flex, NativeSelect, Text } from "@chakra-ui/react"

/** One of a few names, from a list. */
export const Pick = <N extends string>({
  title,
  names,
  labels = names,
  here,
  take,
  unit,
}: {
  title: string
  names: readonly N[]
  labels?: readonly string[]
  here: N
  take: (name: N) => void
  unit?: string
}) => (
  <Flex align="center" gap="2" minH="30px">
    <Text fontSize="sm" w="46px" color="ink.soft">
      {title}
    </Text>
    <NativeSelect.Root size="xs" w={unit ? "70px" : "190px"}>
      <NativeSelect.Field
        value={here}
        onChange={(e) => names.filter((n) => n === e.currentTarget.value).forEach(take)}
        aria-label={title}
        data-testid={`pick-${title.replace(" ", "-")}`}
        bg="sheet"
        borderColor="hair"
      >
        {names.map((n, i) => (
          <option key={n} value={n}>
            {labels[i]}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
    {unit && (
      <Text fontSize="sm" color="ink.soft">
        {unit}
      </Text>
    )}
  </Flex>
)
