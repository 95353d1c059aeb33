import { Box, Flex, Text } from "@chakra-ui/react"

import type { Solution } from "../api/client"
import { Quiet } from "../ui/Page"
import { SAID } from "../ui/Lozenge"

/** Every stress of the design as a bar against its rating, the tightest first. */
export function Margins({ solution, go, done }: { solution: Solution; go: (block: string, address: string) => void; done: () => void }) {
  const rows = solution.margins ?? []
  const beyond = rows.filter((m) => m.left < 0).length
  return (
    <Box flex="1" minH="0" overflowY="auto" px="5" py="3" data-testid="margins">
      <Flex align="baseline" gap="3" mb="2">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Margins
        </Text>
        <Text fontSize="sm" color="ink.soft">
          every stress against its rating, tightest first; the tick is the house's limit, the end of the bar the rating.{" "}
          {rows.length
            ? `${rows.length} stresses, ${beyond || "none"} beyond the house's limit.`
            : "Nothing is built, so nothing is stressed."}
        </Text>
        <Quiet ml="auto" onClick={done} data-testid="margins-done">
          back to the bench
        </Quiet>
      </Flex>
      <Box
        as="table"
        w="100%"
        fontSize="sm"
        css={{
          "& td": { padding: "4px 10px 4px 0", whiteSpace: "nowrap" },
          "& tr": { borderBottom: "1px solid var(--chakra-colors-faint)" },
          "& td.n": { fontFamily: "var(--chakra-fonts-mono)", textAlign: "right" },
        }}
      >
        <tbody>
          {rows.map((m) => (
            <tr key={`${m.address}-${m.title}`} data-testid={`margin-${m.address}`} data-left={m.left}>
              <td style={{ color: "var(--chakra-colors-ink-soft)" }}>{m.where}</td>
              <td>
                <Quiet px="0" color="ink" onClick={() => go(m.block, m.address)}>
                  {m.title}
                </Quiet>
              </td>
              <td style={{ width: "38%" }}>
                <Bar stress={m.stress} house={m.house} tone={m.severity ? SAID[m.severity] : "steel"} />
              </td>
              <td className="n" style={{ fontWeight: 700 }}>
                {m.text}
              </td>
              <td className="n" style={{ color: "var(--chakra-colors-ink-soft)", textAlign: "left" }}>
                of {m.rating}
              </td>
              <td className="n" style={{ color: m.left < 0 ? "var(--chakra-colors-fix)" : undefined }}>
                {m.left_text} left
              </td>
              <td
                style={{ color: "var(--chakra-colors-ink-soft)", maxWidth: 190, overflow: "hidden", textOverflow: "ellipsis" }}
                title={m.point}
              >
                {m.point}
              </td>
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  )
}

/** Filled to the stress; a tick at the house's limit; what lies beyond the rating sticks out. */
const Bar = ({ stress, house, tone }: { stress: number; house: number; tone: string }) => {
  const wide = (share: number) => `${(100 * Math.min(1.2, share)) / 1.2}%`
  return (
    <Box position="relative" h="12px" minW="140px" role="img" aria-label={`${Math.round(100 * stress)} percent of the rating`}>
      <Box position="absolute" inset="2px auto 2px 0" w={wide(1)} bg="hair" />
      <Box position="absolute" inset="2px auto 2px 0" w={wide(stress)} bg={tone} />
      <Box position="absolute" top="-1px" bottom="-1px" left={wide(house)} w="2px" bg="ink" />
      <Box position="absolute" top="0" bottom="0" left={wide(1)} w="1.5px" bg="stop" />
    </Box>
  )
}
