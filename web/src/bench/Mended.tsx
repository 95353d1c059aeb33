import { Box, Flex, Text } from "@chakra-ui/react"

import { download } from "../ui/download"
import { Plain, Quiet } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

/** What of a stored design, or of a change that this browser still held, could not be read: listed, and how to be rid of it. */
export function Mended({ handle }: { handle: DesignHandle }) {
  const { faults = [], aside } = handle
  if (!faults.length && !aside) return null
  return (
    <Box
      px="5"
      py="2"
      bg="faint"
      borderBottom="1px solid"
      borderColor="hair"
      fontSize="sm"
      maxH="30vh"
      overflowY="auto"
      role="status"
      data-testid="mended"
    >
      {faults.length > 0 && (
        <Flex gap="4" align="start">
          <Box flex="1">
            <Text fontWeight="700">Revision {handle.head} holds what this version refuses; it is left out below.</Text>
            {faults.map((f) => (
              <Text key={`${f.field} ${f.message}`}>{f.message}</Text>
            ))}
          </Box>
          <Plain size="xs" onClick={() => handle.mend()} data-testid="mend">
            Keep it without these
          </Plain>
        </Flex>
      )}
      {aside && (
        <Flex gap="4" align="start">
          <Box flex="1">
            <Text fontWeight="700">
              A change that this browser had not sent yet cannot be taken. The design is shown as it was kept last.
            </Text>
            <Text>{aside.why}</Text>
          </Box>
          <Plain
            size="xs"
            onClick={() =>
              download(new Blob([aside.text], { type: "application/json" }), `${handle.design?.name ?? "design"}, unsent.json`)
            }
          >
            Save it as a file
          </Plain>
          <Quiet onClick={handle.forget} data-testid="forget-aside">
            discard it
          </Quiet>
        </Flex>
      )}
    </Box>
  )
}
