import { Flex } from "@chakra-ui/react"

import type { BlockReport } from "../api/client"
import { LozengeShape } from "../ui/Lozenge"
import { Quiet } from "../ui/Page"

/** What blocks beside the power path are called in a word; the letter that is their key. */
const CALLED: Record<string, [string, string]> = {
  controller: ["controller", "c"],
  bridge_drive: ["gates", "g"],
  front_drive: ["drivers", "d"],
  precharge: ["precharge", "p"],
  protection: ["protection", "t"],
  heat: ["heat", "h"],
  isolation: ["isolation", "i"],
}
export const called = (key: string) => CALLED[key]?.[0] ?? key
export const keyOf = (key: string) => CALLED[key]?.[1]

/** The blocks beside the power path: each a small lozenge, filled as those on it. */
export function Auxiliary({ blocks, chosen, choose }: { blocks: readonly BlockReport[]; chosen: string; choose: (key: string) => void }) {
  return (
    <Flex as="nav" aria-label="beside the path" gap={{ base: "2", xl: "3.5" }} flexShrink="0" align="center">
      {blocks.map((b) => (
        <Quiet
          key={b.key}
          onClick={() => choose(b.key)}
          color={chosen === b.key ? "copper" : "ink.soft"}
          aria-pressed={chosen === b.key}
          fontSize="sm"
          title={`${b.title}${keyOf(b.key) ? `, key ${keyOf(b.key)!.toUpperCase()}` : ""}`}
          data-testid={`show-${b.key}`}
        >
          <svg width="17" height="17" viewBox="-9 -9 18 18" aria-label={b.severity ?? "sound"} role="img" style={{ flexShrink: 0 }}>
            <LozengeShape x={0} y={0} half={7.5} level={b.stress} severity={b.severity} />
          </svg>
          {called(b.key)}
        </Quiet>
      ))}
    </Flex>
  )
}
