import { Box, Flex, Grid, Text } from "@chakra-ui/react"

import { useState } from "react"

import { client, data, type Design, type WindingSheet as Sheet } from "../api/client"
import { asked } from "../api/hooks"
import { Plot } from "../bench/Plot"
import { download } from "../ui/download"
import { Fault, Plain, Strong } from "../ui/Page"

const COLUMNS = ["turns", "wire", "in_hand", "layers", "length", "mass", "starts"] as const
const HEADS: Record<(typeof COLUMNS)[number], string> = {
  turns: "turns",
  wire: "wire",
  in_hand: "parallel",
  layers: "layers",
  length: "cut",
  mass: "copper",
  starts: "pins",
}

/** What a person winds from, on screen and on paper. */
export function WindingSheet({ sheet: s, block, design }: { sheet: Sheet; block: string; design: Design | undefined }) {
  const [fault, setFault] = useState<string>()
  const keep = () =>
    data(
      client.POST("/api/coils/{block}/sheet", {
        params: { path: { block }, query: { name: design?.name ?? "" } },
        body: asked(design),
        parseAs: "blob",
      }),
    ).then(
      (pdf) => (setFault(undefined), download(pdf, `${s.title}, ${design?.name ?? "design"}.pdf`)),
      (why: Error) => setFault(why.message),
    )
  return (
    <Box flex="1" px="6" pb="5" overflowY="auto" minH="0" _print={{ overflow: "visible", px: 0 }} data-testid="winding-sheet">
      <Flex align="baseline" gap="3" mt="2" mb="1">
        <Text as="h3" fontWeight="700" fontSize="xl">
          {s.title}, {design?.name}
        </Text>
        <Text color="ink.soft">{s.core}</Text>
        <Flex ml="auto" gap="2" className="screen-only">
          <Plain size="xs" onClick={keep} data-testid="keep-sheet">
            Keep as PDF
          </Plain>
          <Strong size="xs" onClick={() => print()} data-testid="print-sheet">
            Print
          </Strong>
        </Flex>
      </Flex>
      {fault && <Fault>{fault}</Fault>}
      <table className="winding">
        <thead>
          <tr>
            <th>from the core outwards</th>
            {COLUMNS.map((c) => (
              <th key={c}>{HEADS[c]}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {s.rows.map((r, i) => (
            <tr key={`${r.what}-${i}`} data-tape={r.turns === ""}>
              <td>
                {i + 1} {r.what}
                {r.note && (
                  <Text fontSize="12.5px" color="ink.soft">
                    {r.note}
                  </Text>
                )}
              </td>
              {COLUMNS.map((c) => (
                <td key={c} className={c === "starts" ? undefined : "mono"}>
                  {r[c]}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <Grid templateColumns="1.2fr 1fr 1fr" gap="6" mt="4">
        <Plot chart={s.window} />
        <Box>
          <Text fontWeight="700" fontSize="sm">
            Starts and finishes
          </Text>
          <Phasing halves={s.phasing} />
        </Box>
        <Box fontSize="sm">
          <Text fontWeight="700">Measure before you fit it</Text>
          {s.checks.map(({ name: what, text: value }) => (
            <Flex key={what} gap="3" py="0.5" borderBottom="1px solid" borderColor="faint">
              <Text flex="1">{what}</Text>
              <Text fontFamily="mono" textAlign="right">
                {value}
              </Text>
            </Flex>
          ))}
        </Box>
      </Grid>
      <Box mt="3" pl="3" borderLeft="3px solid" borderColor="stop" fontSize="sm">
        {s.cautions.map((c) => (
          <Text key={c}>{c}</Text>
        ))}
      </Box>
    </Box>
  )
}

const COIL = "M0 0c10 0 10 14 0 14c10 0 10 14 0 14c10 0 10 14 0 14"

/** A winding from its start (with the dot) down to its finish. */
const Winding = ({ x, y, start, finish, left }: { x: number; y: number; start: string; finish: string; left?: boolean }) => (
  <g fontSize="12.5" fill="currentColor">
    <path d={COIL} transform={`translate(${x} ${y})${left ? " scale(-1 1)" : ""}`} fill="none" stroke="currentColor" strokeWidth="1.6" />
    <circle cx={x + (left ? 10 : -10)} cy={y + 5} r="3" />
    <text x={x + (left ? -16 : 16)} y={y + 5} textAnchor={left ? "end" : "start"} fontFamily="var(--chakra-fonts-mono)">
      {start}
    </text>
    <text x={x + (left ? -16 : 16)} y={y + 45} textAnchor={left ? "end" : "start"} fontFamily="var(--chakra-fonts-mono)">
      {finish}
    </text>
  </g>
)

/** One side of a transformer: one winding, or two halves with a tap between them. */
const Side = ({ x, halves, pin, left }: { x: number; halves: number; pin: string; left?: boolean }) =>
  halves === 2 ? (
    <>
      <Winding x={x} y={14} start={`A: ${pin}1`} finish={`${pin}2`} left={left} />
      <Winding x={x} y={74} start={`B: ${pin}2`} finish={`${pin}3`} left={left} />
      <path d={`M${x} 56V74`} stroke="var(--chakra-colors-copper)" strokeWidth="2" />
      <text x={left ? 20 : 240} y={68} textAnchor={left ? "start" : "end"} fontSize="12" fill="var(--chakra-colors-copper)">
        tap
      </text>
    </>
  ) : (
    <Winding x={x} y={44} start={`${pin}1`} finish={`${pin}2`} left={left} />
  )

/** How starts and finishes are joined: every dot is a start, wound the same way round. */
function Phasing({ halves }: { halves: Sheet["phasing"] }) {
  const [first = 1, second = 1] = halves ?? []
  return (
    <svg
      viewBox="0 0 260 130"
      width="100%"
      style={{ maxWidth: 250, display: "block" }}
      role="img"
      aria-label="starts and finishes"
      data-testid="phasing"
      data-halves={`${first}:${second}`}
    >
      {halves ? (
        <>
          <path d="M126 14V118M134 14V118" stroke="currentColor" strokeWidth="1.4" />
          <Side x={104} halves={first} pin="P" left />
          <Side x={156} halves={second} pin="S" />
        </>
      ) : (
        <Winding x={130} y={40} start="L1" finish="L2" />
      )}
    </svg>
  )
}
