import { Box, Text } from "@chakra-ui/react"

import { useKinds } from "../api/hooks"

/** A kind of part in words. */
export const worded = (kind: string) => (kind === "mosfet" || kind === "igbt" ? kind.toUpperCase() : kind.replace("_", "-"))

const inSight = (chosen: HTMLButtonElement | null) => chosen?.scrollIntoView({ block: "nearest" })

/** Every kind of part under its heading, with how many there are. */
export function Kinds({ kind, turn }: { kind: string; turn: (to: string) => void }) {
  const kinds = useKinds().data ?? []
  const groups = [...new Set(kinds.map((k) => k.group))]
  return (
    <Box as="nav" aria-label="kinds of part" className="kinds">
      {groups.map((group) => (
        <div key={group}>
          <Text as="h2">{group}</Text>
          {kinds
            .filter((k) => k.group === group)
            .map((k) => (
              <button
                key={k.kind}
                type="button"
                onClick={() => turn(k.kind)}
                aria-pressed={k.kind === kind}
                ref={k.kind === kind ? inSight : undefined}
                data-testid={`kind-${k.kind}`}
              >
                {worded(k.kind)} <span>{k.count}</span>
              </button>
            ))}
        </div>
      ))}
    </Box>
  )
}
