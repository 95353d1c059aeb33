import { Box, Flex, Text } from "@chakra-ui/react"

/** What is called what, a line each, the figures in one column. */
export const Rows = ({ title, rows, id }: { title?: string; rows: readonly { name: string; text: string }[] | undefined; id: string }) => (
  <Box fontSize="sm" data-testid={id}>
    {title && (
      <Text fontWeight="700" mb="1">
        {title}
      </Text>
    )}
    {rows?.map(({ name, text }) => (
      <Flex key={name} gap="3" py="0.5" borderBottom="1px solid" borderColor="faint">
        <Text flex="1">{name}</Text>
        <Text fontFamily="mono" fontWeight="600" fontSize="13px" textAlign="right">
          {text}
        </Text>
      </Flex>
    ))}
  </Box>
)
