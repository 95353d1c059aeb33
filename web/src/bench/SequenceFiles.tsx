import { Flex, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data } from "../api/client"
import { asked } from "../api/hooks"
import { download } from "../ui/download"
import { Fault, Plain } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

const FILES = [
  ["csv", "state table, CSV"],
  ["c", "portable C"],
] as const

/** The precharge sequence as files to take away. */
export function SequenceFiles({ handle }: { handle: DesignHandle }) {
  const [fault, setFault] = useState<string>()
  const keep = (ending: "csv" | "c") =>
    data(client.POST("/api/precharge/{ending}", { params: { path: { ending } }, body: asked(handle.design), parseAs: "blob" })).then(
      (file) => (setFault(undefined), download(file, `precharge.${ending}`)),
      (why: Error) => setFault(why.message),
    )
  return (
    <>
      <Flex gap="2" align="center" mb="2">
        <Text fontSize="sm" color="ink.soft">
          the sequence as
        </Text>
        {FILES.map(([ending, title]) => (
          <Plain key={ending} size="xs" onClick={() => void keep(ending)} data-testid={`precharge-${ending}`}>
            {title}
          </Plain>
        ))}
      </Flex>
      {fault && <Fault>{fault}</Fault>}
    </>
  )
}
