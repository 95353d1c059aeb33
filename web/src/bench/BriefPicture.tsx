import { Box, Flex, Text, VisuallyHidden } from "@chakra-ui/react"
import { Fragment, type ReactNode } from "react"

import type { BriefField } from "../api/client"

const TALL = 48
const APART = 6
const STEP = TALL + APART
const CAPTION = 22
const WIDE = 92
const HALF = 26
const NOTHING = "nothing"

/** Where the tiles of a column lie, from the top, and how far down the column ends. */
const places = (count: number, from: number) => Array.from({ length: count }, (_, i) => from + i * STEP + TALL / 2)

/** What feeds it and what it feeds, as a picture: the chosen kinds are joined to the inverter between them. */
export function BriefPicture({ fields, put }: { fields: readonly BriefField[]; put: (field: BriefField, kind: string) => unknown }) {
  const kinds = fields.filter((f) => f.address.endsWith(".kind"))
  const [source, socket] = ["sources.0.kind", "outputs.0.kind"].map((a) => kinds.find((f) => f.address === a))
  if (!source || !socket) return null
  const sockets = places(socket.options?.length ?? 0, 0)
  let tall = (sockets.at(-1) ?? 0) + TALL / 2
  const others = kinds
    .filter((f) => f !== source && f !== socket)
    .map((field) => {
      const caption = tall + APART
      const y = caption + CAPTION + TALL / 2
      tall = y + TALL / 2
      return { field, caption, y }
    })
  const sources = places(source.options?.length ?? 0, (tall - (source.options?.length ?? 0) * STEP + APART) / 2)
  const middle = tall / 2
  return (
    <Box
      display="grid"
      gridTemplateColumns={`minmax(0, 1fr) ${WIDE}px minmax(0, 1.15fr)`}
      h={`${tall}px`}
      mt="1"
      mb="4"
      data-testid="brief-picture"
    >
      <Tiles field={source} title="What feeds it" at={sources} put={put} />
      <svg width={WIDE} height={tall} aria-hidden="true">
        <Joined at={sources} chosen={chosen(source)} from={0} middle={middle} />
        <Joined at={sockets} chosen={chosen(socket)} from={WIDE} middle={middle} />
        {others.map(({ field, y }) => (
          <Joined key={field.title} at={[y]} chosen={field.text === NOTHING ? -1 : 0} from={WIDE} middle={middle} />
        ))}
        <path
          d={`M${WIDE / 2 - HALF} ${middle}l${HALF} ${-HALF}l${HALF} ${HALF}l${-HALF} ${HALF}z`}
          fill="var(--chakra-colors-sheet)"
          stroke="var(--chakra-colors-copper)"
          strokeWidth="2.5"
          strokeLinejoin="round"
        />
      </svg>
      <Box position="relative">
        <Tiles field={socket} title="What it feeds" at={sockets} put={put} />
        {others.map(({ field, caption, y }) => (
          <Fragment key={field.title}>
            <Text position="absolute" top={`${caption}px`} left="2" fontSize="12px" color="ink.soft">
              {field.title}
            </Text>
            <Tiles field={field} title={field.title} at={[y]} put={put} />
          </Fragment>
        ))}
      </Box>
    </Box>
  )
}

const chosen = (field: BriefField) => field.options?.indexOf(field.text) ?? -1

/** The line from the chosen tile to the inverter, and the faint ones that could be. */
const Joined = ({ at, chosen, from, middle }: { at: number[]; chosen: number; from: number; middle: number }) => {
  const near = WIDE / 2 + Math.sign(from - WIDE / 2) * HALF
  const bend = (from + near) / 2
  return at.map((y, i) => (
    <path
      key={y}
      d={`M${from} ${y}C${bend} ${y} ${bend} ${middle} ${near} ${middle}`}
      fill="none"
      stroke={i === chosen ? "var(--chakra-colors-copper)" : "var(--chakra-colors-hair)"}
      strokeWidth={i === chosen ? 4 : 1}
      strokeDasharray={i === chosen ? undefined : "3 4"}
    />
  ))
}

function Tiles(props: { field: BriefField; title: string; at: number[]; put: (field: BriefField, kind: string) => unknown }) {
  const { field, title, at, put } = props
  const first = field.options?.[0] === NOTHING ? 1 : 0 // what may be there or not is one tile, to be put there and taken away
  return (
    <Box role={first ? "group" : "radiogroup"} aria-label={title} position={field.address.startsWith("sources") ? "relative" : "static"}>
      {field.options?.map((kind, i) => {
        if (i < first) return null
        const on = kind === field.text
        return (
          <Flex
            as="label"
            key={kind}
            position="absolute"
            top={`${(at[i - first] ?? 0) - TALL / 2}px`}
            left="0"
            right="0"
            h={`${TALL}px`}
            align="center"
            gap="2"
            px="2"
            cursor="pointer"
            bg={on ? "sheet" : undefined}
            border="1px solid"
            borderColor={on ? "copper" : "hair"}
            borderRadius="4px"
            color={on ? "ink" : "ink.soft"}
            _hover={{ color: "ink", borderColor: on ? "copper" : "ink.soft" }}
            _focusWithin={{ outline: "2px solid var(--chakra-colors-copper)", outlineOffset: "1px" }}
            data-testid={`brief-${field.address}-${kind}`}
            data-chosen={on}
          >
            <VisuallyHidden asChild>
              {first ? (
                <input type="checkbox" checked={on} onChange={() => void put(field, on ? NOTHING : kind)} aria-label={kind} />
              ) : (
                <input type="radio" name={field.address} checked={on} onChange={() => void put(field, kind)} aria-label={kind} />
              )}
            </VisuallyHidden>
            <svg width="30" height="24" viewBox="-15 -12 30 24" aria-hidden="true" style={{ flexShrink: 0 }}>
              <g fill="none" stroke={on ? "var(--chakra-colors-copper)" : "currentColor"} strokeWidth="1.6" strokeLinecap="round">
                {SYMBOLS[kind]}
              </g>
            </svg>
            <Box minW="0" lineHeight="1.15">
              <Text fontSize="sm" fontWeight={on ? 700 : 500}>
                {kind}
              </Text>
              <Text fontSize="12px" color="ink.soft" lineClamp={2} title={field.told?.[i]}>
                {field.told?.[i]}
              </Text>
            </Box>
          </Flex>
        )
      })}
    </Box>
  )
}

/** Kinds of supply and socket after IEC 60617: cells, a source of steady voltage, and the waves of low and high frequency. */
const SYMBOLS: Record<string, ReactNode> = {
  battery: <path d="M-15 0H-6M-6 -5V5M-1 -10V10M4 -5V5M9 -10V10M9 0H15" />,
  "DC rail": <path d="M-15 0H-9M9 0H15M-9 0a9 9 0 0 1 18 0a9 9 0 0 1 -18 0ZM-5 -1.5H5M-5 2.5H-2.5M-1 2.5H1M2.5 2.5H5" />,
  mains: <path d="M-15 0H-10M10 0H15M-10 0a10 10 0 0 1 20 0a10 10 0 0 1 -20 0ZM-6 0C-5 -6 -1 -6 0 0S5 6 6 0" />,
  AC: <path d="M-12 0C-9 -12 -3 -12 0 0S9 12 12 0" />,
  DC: <path d="M-11 -3H11M-11 4H-6M-2.5 4H2.5M6 4H11" />,
  HF: (
    <path d="M-12 -7C-10 -12 -6 -12 -4 -7S2 -2 4 -7S10 -12 12 -7M-12 0C-10 -5 -6 -5 -4 0S2 5 4 0S10 -5 12 0M-12 7C-10 2 -6 2 -4 7S2 12 4 7S10 2 12 7" />
  ),
  "auxiliary DC": <path d="M-12 -8H-1V8M-1 0H12M4 5H12M4 -5H6M8 -5H12" />,
}
