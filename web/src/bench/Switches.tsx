import { Box, Text } from "@chakra-ui/react"
import { useState } from "react"

import { useSwitches } from "../api/hooks"
import { Options, type Apply } from "../coils/Options"
import { Fault, Plain } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

/** Blocks whose switches can be ranked. */
export const RANKED = ["front_end", "h_bridge"]

/** The stage's switches beside others on the shelf; asked for by hand, since the design is sized around each. */
export function Switches({ handle, block, apply }: { handle: DesignHandle; block: string; apply: Apply }) {
  const [wanted, setWanted] = useState(false)
  const ranked = useSwitches(handle.design, block, wanted)
  if (!wanted)
    return (
      <Plain size="xs" onClick={() => setWanted(true)} data-testid="rank-switches">
        rank the switches on the shelf
      </Plain>
    )
  if (ranked.error) return <Fault>{ranked.error.message}</Fault>
  if (!ranked.data) return <Text fontSize="sm">fitting each in turn …</Text>
  return (
    <Box opacity={ranked.isPlaceholderData ? 0.6 : 1} overflowX="auto" data-fresh={!ranked.isPlaceholderData && !ranked.isFetching}>
      <Options table={ranked.data} apply={apply} />
    </Box>
  )
}
