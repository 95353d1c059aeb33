import { Box, Flex, Text } from "@chakra-ui/react"
import { memo, useState } from "react"

import type { Figure, PinValue, Problem } from "../api/client"
import { PinGem } from "../ui/Lozenge"
import { Fault, Quiet } from "../ui/Page"
import { same } from "../ui/same"
import { Tex } from "../ui/Tex"
import { ValueField } from "./ValueField"

interface Props {
  figures: readonly Figure[]
  chosen: Figure | null
  open: (figure: Figure) => void
  pin: (address: string, value: PinValue) => Promise<Problem | null>
}

/** The figures of a block: stresses against their limits, choices that can be pinned, results. */
export const Figures = (props: Props) => (
  <Box role="table" aria-label="figures">
    {props.figures.map((f, i) => (
      <Row key={`${f.address}-${i}`} figure={f} here={props.chosen?.address === f.address && props.chosen.title === f.title} open={props.open} pin={props.pin} />
    ))}
  </Box>
)

type RowProps = { figure: Figure; here: boolean } & Pick<Props, "open" | "pin">

const Row = memo(Line, (a, b) => a.here === b.here && a.open === b.open && a.pin === b.pin && same(a.figure, b.figure))

function Line({ figure: f, here, open, pin }: RowProps) {
  const [editing, setEditing] = useState(false)
  const [refused, setRefused] = useState<string>()
  const tone = f.severity === "stop" || f.severity === "fix" ? f.severity : "ink"
  const put = async (value: PinValue) => {
    const problem = await pin(f.pin ?? "", value)
    setRefused(problem?.problems?.[0]?.message ?? problem?.detail)
    if (!problem) setEditing(false)
    return problem === null
  }
  return (
    <Box borderBottom="1px solid" borderColor="faint" bg={here ? "faint" : undefined} data-testid={`figure-${f.address}`} data-status={f.status}>
      <Flex role="row" align="center" gap="2" minH="27px" px="1" title={f.point ? `at ${f.point}` : undefined}>
        <Box role="cell" w="56px" flexShrink="0" color="ink.soft" fontSize="12.5px" whiteSpace="nowrap" overflow="hidden">
          {f.symbol && <Tex>{f.symbol.replaceAll("–", "\\text{–}")}</Tex>}
        </Box>
        <Text role="cell" flex="1" minW="60px" fontSize="sm" lineHeight="1.2" truncate title={f.title}>
          {f.title}
        </Text>
        {editing ? (
          <ValueField figure={f} put={put} leave={() => (setEditing(false), setRefused(undefined))} />
        ) : (
          <Box
            as="button"
            role="cell"
            fontFamily="mono"
            fontSize="13px"
            fontWeight="600"
            color={tone}
            textAlign="right"
            maxW="210px"
            minW="0"
            title={f.text}
            truncate
            px="1"
            borderRadius="2px"
            _hover={{ bg: "copper.soft" }}
            onClick={() => (f.pin ? setEditing(true) : open(f))}
            aria-label={f.pin ? `change ${f.title}` : `working of ${f.title}`}
            data-testid={`value-${f.address}`}
          >
            {f.text}
          </Box>
        )}
        {f.rating_text ? <Gauge figure={f} open={open} /> : <State figure={f} editing={editing} put={put} open={open} />}
      </Flex>
      {refused && editing && <Fault mb="1">{refused}</Fault>}
    </Box>
  )
}

/** A stress as a bar against its rating, the house limit marked on it. */
function Gauge({ figure: f, open }: { figure: Figure; open: (f: Figure) => void }) {
  const tone = f.severity === "stop" ? "stop" : f.severity === "fix" ? "fix" : "steel"
  return (
    <Flex role="cell" w="146px" flexShrink="0" align="center" gap="1.5" as="button" onClick={() => open(f)} aria-label={`${f.title} against ${f.rating_text}`}>
      <Box position="relative" w="62px" h="5px" bg="hair" flexShrink="0">
        <Box position="absolute" inset="0" right="auto" w={`${Math.min(100, 100 * (f.stress ?? 0))}%`} bg={tone} />
        <Box position="absolute" top="-3px" bottom="-3px" left={`${100 * (f.house ?? 1)}%`} w="1.5px" bg="ink" />
      </Box>
      <Text fontFamily="mono" fontSize="12px" color="ink.soft" whiteSpace="nowrap">
        of {f.rating_text}
      </Text>
    </Flex>
  )
}

/** Whether a choice is proposed or pinned, with the way to let it go; a result opens its working. */
function State({ figure: f, editing, put, open }: { figure: Figure; editing: boolean; put: (v: PinValue) => Promise<boolean>; open: (f: Figure) => void }) {
  if (f.status === "result")
    return (
      <Box w="146px" flexShrink="0" role="cell">
        {f.step && (
          <Quiet onClick={() => open(f)} fontSize="12px" textDecoration="underline">
            working
          </Quiet>
        )}
      </Box>
    )
  const pinned = f.status === "pinned"
  return (
    <Flex w="146px" flexShrink="0" role="cell" align="center" gap="1" fontSize="12px" color={pinned ? "copper" : "ink.soft"}>
      <PinGem pinned={pinned} />
      {pinned ? "pinned" : "proposed"}
      {!editing && (
        <Quiet fontSize="12px" ml="1" textDecoration="underline" onClick={() => put(pinned ? null : (f.choice ?? f.value ?? null))} data-testid={`${pinned ? "unpin" : "pin"}-${f.address}`}>
          {pinned ? "let go" : "pin it"}
        </Quiet>
      )}
    </Flex>
  )
}
