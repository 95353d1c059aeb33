import { Box, Flex, Input, Text } from "@chakra-ui/react"

import type { ScopeSeen, Trigger } from "../api/client"
import { Plain } from "../ui/Page"
import { Pick } from "./Pick"

/** Begin the window where one of the traces passes a level: which, which way, what level; and the next such moment. */
export function TriggerRow({
  traces,
  trigger,
  moment,
  give,
}: {
  traces: ScopeSeen["points"]
  trigger: Trigger | undefined
  moment: number | null | undefined
  give: (trigger: Trigger | undefined) => void
}) {
  return (
    <Box data-testid="trigger">
      <Pick
        title="trigger"
        names={["none", ...traces.map((t) => t.name)] as const}
        labels={["none", ...traces.map((t) => t.label)]}
        here={trigger?.trace ?? "none"}
        take={(trace) => give(trace === "none" ? undefined : { trace, level: "0", rising: true })}
      />
      {trigger && (
        <Flex gap="2" align="center" minH="30px" pl="54px">
          <Plain size="xs" onClick={() => give({ ...trigger, rising: !trigger.rising, after: undefined })} data-testid="trigger-slope">
            {trigger.rising ? "rises through" : "falls through"}
          </Plain>
          <Input
            size="xs"
            w="84px"
            fontFamily="mono"
            textAlign="right"
            defaultValue={trigger.level}
            aria-label="trigger level"
            onKeyDown={(e) => (
              e.stopPropagation(),
              e.key === "Enter" && give({ ...trigger, level: e.currentTarget.value, after: undefined })
            )}
            data-testid="trigger-level"
          />
          <Plain
            size="xs"
            disabled={moment == null}
            onClick={() => give({ ...trigger, after: moment ?? undefined })}
            data-testid="trigger-next"
          >
            next
          </Plain>
        </Flex>
      )}
    </Box>
  )
}

/** Which part of the record is looked at: whole, line period, a few carrier periods; earlier, later, or typed. A new width keeps the
 *  trigger. */
export function Window({
  seen,
  move,
}: {
  seen: ScopeSeen
  move: (first: number | string | undefined, last: number | string | undefined, triggered?: boolean) => void
}) {
  const wide = seen.last - seen.first
  const about = (width: number) => {
    const middle = Math.min(Math.max((seen.first + seen.last) / 2, width / 2), seen.end - width / 2)
    move(middle - width / 2, middle + width / 2, true)
  }
  const shift = (by: number) => {
    const first = Math.min(Math.max(seen.first + by * wide, 0), seen.end - wide)
    move(first, first + wide)
  }
  return (
    <Box>
      <Flex gap="2" align="center" minH="30px" wrap="wrap">
        <Text fontSize="sm" w="46px" color="ink.soft">
          show
        </Text>
        <Plain size="xs" onClick={() => move(undefined, undefined)} data-testid="window-all">
          all
        </Plain>
        <Plain size="xs" onClick={() => about(seen.period)} data-testid="window-period">
          {seen.direct ? "frame" : "one period"}
        </Plain>
        <Plain size="xs" onClick={() => about(2 * seen.carrier)} data-testid="window-carrier">
          {seen.stepped ? "an edge" : "two carriers"}
        </Plain>
        <Plain size="xs" onClick={() => shift(-0.5)} aria-label="earlier" data-testid="window-earlier">
          ‹
        </Plain>
        <Plain size="xs" onClick={() => shift(0.5)} aria-label="later" data-testid="window-later">
          ›
        </Plain>
      </Flex>
      <Flex gap="2" align="center" minH="30px" fontSize="sm" key={`${seen.first}-${seen.last}`}>
        <Text w="46px" color="ink.soft">
          from
        </Text>
        <Moment value={seen.first} give={(text) => move(text, seen.last)} name="first" />
        <Text color="ink.soft">to</Text>
        <Moment value={seen.last} give={(text) => move(seen.first, text)} name="last" />
      </Flex>
    </Box>
  )
}

const Moment = ({ value, give, name }: { value: number; give: (text: string) => void; name: string }) => (
  <Input
    size="xs"
    w="104px"
    fontFamily="mono"
    textAlign="right"
    defaultValue={`${Number((value * 1e3).toPrecision(6))} ms`}
    aria-label={name}
    onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && give(e.currentTarget.value))}
    data-testid={`window-${name}`}
  />
)
