import { Box, Flex, Text } from "@chakra-ui/react"
import { Fragment, useState } from "react"

import { client, data, type ListedPart } from "../api/client"
import { asked, useCurrency, usePartsList } from "../api/hooks"
import { download } from "../ui/download"
import { Fault, Plain, Quiet } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

const HEADS = ["Reference", "Count", "For", "Part", "Value", "Asked of it", "Drawer", "Each", "To buy"]
const NUMBERS = ["Count", "Each", "To buy"]

/** What a design is made of, stage by stage: every part with its reference, its number and what was asked of it. */
export function Parts({ handle, go, done }: { handle: DesignHandle; go: (block: string) => void; done: () => void }) {
  const found = usePartsList(handle.design)
  const currency = useCurrency()
  const [fault, setFault] = useState("")
  const list = found.data
  const drawn = !!list?.groups.some((group) => group.lines.some((line) => line.drawer))
  const heads = HEADS.filter((head) => drawn || head !== "Drawer")
  const save = () =>
    data(client.POST("/api/parts/csv", { body: asked(handle.design), parseAs: "blob" })).then(
      (file) => (setFault(""), download(file, `${handle.design?.name ?? "design"} parts.csv`)),
      (why: Error) => setFault(why.message),
    )
  return (
    <Box flex="1" minH="0" overflowY="auto" px="5" py="3" data-testid="parts" data-fresh={!found.isPlaceholderData && !!list}>
      <Flex align="baseline" gap="3" mb="2">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Parts
        </Text>
        <Text fontSize="sm" color="ink.soft" data-testid="parts-sum">
          {list?.groups.length
            ? `${list.pieces} pieces, of which ${list.small} small ones are not priced; ${list.cost} ${currency} to buy; cores, copper and heat-sinks ${list.mass}, of that copper ${list.copper}.`
            : list && "Nothing is built, so there is nothing to buy: the findings say why."}
          {!!list?.missing && (
            <Text as="span" color="fix">
              {" "}
              {list.missing} not on the shelf.
            </Text>
          )}
        </Text>
        <Plain size="xs" ml="auto" flexShrink="0" disabled={!list?.groups.length} onClick={() => void save()} data-testid="parts-csv">
          save as CSV
        </Plain>
        <Plain size="xs" onClick={() => print()}>
          print
        </Plain>
        <Quiet flexShrink="0" onClick={done}>
          back to the bench
        </Quiet>
      </Flex>
      {fault && <Fault mb="2">{fault}</Fault>}
      {found.error && <Fault mb="2">{found.error.message}</Fault>}
      {!!list?.groups.length && (
        <>
          <Box
            as="table"
            w="100%"
            fontSize="sm"
            css={{
              "& td, & th": { padding: "3px 10px 3px 0", textAlign: "left", verticalAlign: "baseline" },
              "& th": {
                fontWeight: 600,
                color: "var(--chakra-colors-ink-soft)",
                position: "sticky",
                top: "-13px",
                background: "var(--chakra-colors-paper)",
              },
              "& tr": { borderBottom: "1px solid var(--chakra-colors-faint)" },
              "& .n": { fontFamily: "var(--chakra-fonts-mono)", textAlign: "right", whiteSpace: "nowrap" },
              "& .m": { fontFamily: "var(--chakra-fonts-mono)", whiteSpace: "nowrap" },
              "& .s": { color: "var(--chakra-colors-ink-soft)", fontSize: "12px", lineHeight: 1.25 },
            }}
          >
            <thead>
              <tr>
                {heads.map((head) => (
                  <th key={head} className={NUMBERS.includes(head) ? "n" : ""}>
                    {head}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {list.groups.map((group) => (
                <Fragment key={group.block}>
                  <tr>
                    <td colSpan={heads.length} style={{ paddingTop: 8, paddingBottom: 0 }}>
                      <Quiet
                        px="0"
                        h="auto"
                        color="copper"
                        fontWeight="700"
                        onClick={() => go(group.block)}
                        data-testid={`parts-of-${group.block}`}
                      >
                        {group.title}
                      </Quiet>
                    </td>
                  </tr>
                  {group.lines.map((line) => (
                    <Line key={`${line.reference} ${line.what}`} line={line} drawn={drawn} />
                  ))}
                </Fragment>
              ))}
            </tbody>
          </Box>
          <Text fontSize="12px" color="ink.soft" mt="3" maxW="1000px" data-testid="parts-letters">
            {list.letters.map((l) => `${l.letter} ${l.said}`).join("; ")}. The digits are the number of the sheet and the place on it: they
            stay with the part whatever else changes; parts alike follow behind a full stop. {list.forgotten}
          </Text>
        </>
      )}
    </Box>
  )
}

const Line = ({ line, drawn }: { line: ListedPart; drawn: boolean }) => (
  <tr data-testid={`part-${line.reference}`}>
    <td className="m" style={{ fontWeight: 700 }}>
      {line.reference}
    </td>
    <td className="n">{line.count}</td>
    <td>{line.what}</td>
    <td style={{ color: line.missing ? "var(--chakra-colors-fix)" : undefined }}>
      {line.described !== line.part && line.described}{" "}
      <span className={line.described && line.described !== line.part ? "s" : undefined} style={{ whiteSpace: "nowrap" }}>
        {line.part}
      </span>
    </td>
    <td style={{ fontWeight: 600, whiteSpace: "nowrap" }}>{line.value}</td>
    <td className="s">{line.asked}</td>
    {drawn && (
      <td className="s" style={{ whiteSpace: "nowrap" }}>
        {line.drawer}
      </td>
    )}
    <td className="n">{line.each}</td>
    <td className="n">{line.price}</td>
  </tr>
)
