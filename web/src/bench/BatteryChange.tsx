import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { BatterySource } from "../api/client"
import { useBatteryChange } from "../api/hooks"
import { Fault, Plain, Quiet, Strong } from "../ui/Page"
import { Gem } from "../ui/Lozenge"
import type { DesignHandle } from "./useDesign"

type Chemistry = NonNullable<BatterySource["chemistry"]>
const CHEMISTRIES: readonly Chemistry[] = ["LiFePO4", "Li-ion", "lead-acid"]

/** Another battery for the design as it is built: everything its new top and bottom touch, old beside new. */
export function BatteryChange({ handle, done }: { handle: DesignHandle; done: () => void }) {
  const fed = handle.design?.brief?.sources?.[0]
  const now = fed?.kind === "battery" ? fed : undefined
  const [chemistry, setChemistry] = useState<Chemistry>(now?.chemistry === "Li-ion" ? "LiFePO4" : "Li-ion")
  const [cells, setCells] = useState(String(now?.cells ?? 8))
  const source: BatterySource = { ...now, kind: "battery", chemistry, cells: /^\d+$/.test(cells.trim()) ? Number(cells) : cells }
  const change = useBatteryChange(handle.design, source)
  const found = change.data
  const take = async (keep: boolean) => {
    const brief = { ...handle.design?.brief, sources: [source] }
    const refused = await handle.change({ brief, ...(keep ? { pins: found?.kept } : {}) })
    if (!refused) done()
  }
  return (
    <Box flex="1" minH="0" overflowY="auto" px="5" py="3" data-testid="battery-change" data-fresh={!change.isFetching}>
      <Flex align="center" gap="3" mb="3" wrap="wrap">
        <Text as="h2" fontWeight="700" fontSize="lg">
          Another battery
        </Text>
        <NativeSelect.Root size="xs" w="120px">
          <NativeSelect.Field
            value={chemistry}
            onChange={(e) => setChemistry(CHEMISTRIES.find((c) => c === e.currentTarget.value) ?? chemistry)}
            aria-label="chemistry"
            data-testid="new-chemistry"
          >
            {CHEMISTRIES.map((c) => (
              <option key={c} value={c}>
                {c}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Input
          size="xs"
          w="60px"
          fontFamily="mono"
          textAlign="right"
          value={cells}
          aria-label="cells in series"
          onChange={(e) => setCells(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
          data-testid="new-cells"
        />
        <Text fontSize="sm">cells in series</Text>
        <Quiet ml="auto" onClick={done}>
          back to the bench
        </Quiet>
      </Flex>
      {change.error && <Fault>{change.error.message}</Fault>}
      {found && (
        <>
          <Text fontSize="sm" mb="1">
            <b>from</b> {found.old} &nbsp; <b>to</b> {found.new}
          </Text>
          <Text fontSize="sm" color="ink.soft" mb="3">
            Each thing is judged as it is built, with the new battery; beside it what a fresh sizing would fit. What you pinned stays in
            both.
          </Text>
          <Box
            as="table"
            w="100%"
            fontSize="sm"
            css={{
              "& td, & th": { padding: "7px 14px 7px 0", verticalAlign: "top", textAlign: "left" },
              "& tr": { borderBottom: "1px solid var(--chakra-colors-faint)" },
            }}
          >
            <thead>
              <tr>
                <th>touched</th>
                <th>as built → for the new battery</th>
                <th>kept as it is built</th>
                <th>what to change</th>
              </tr>
            </thead>
            <tbody>
              {found.items.map((item) => (
                <tr key={item.key} data-testid={`touched-${item.key}`} data-holds={item.holds}>
                  <td style={{ width: "19%" }}>
                    <Flex gap="2">
                      <Box pt="3px">
                        <Gem severity={item.severity ?? "note"} />
                      </Box>
                      <Box>
                        <b>{item.title}</b>
                        <Text color="ink.soft">{item.why}</Text>
                      </Box>
                    </Flex>
                  </td>
                  <td style={{ width: "30%" }}>
                    {item.values.map((v) => (
                      <Flex key={v.title} gap="2" fontFamily="mono" fontSize="12.5px">
                        <Text flex="1" minW="90px" fontFamily="body" fontSize="sm">
                          {v.title}
                        </Text>
                        <span style={{ textAlign: "right" }}>{v.old === v.new ? v.old : `${v.old} → ${v.new}`}</span>
                      </Flex>
                    ))}
                  </td>
                  <td>{item.verdict}</td>
                  <td style={{ width: "20%" }}>{item.change}</td>
                </tr>
              ))}
            </tbody>
          </Box>
          {found.others.length > 0 && (
            <Box mt="3" fontSize="sm">
              <b>Touched besides</b>
              {found.others.map((f) => (
                <Flex key={f.code} gap="2" py="1">
                  <Box pt="2px">
                    <Gem severity={f.severity} />
                  </Box>
                  <Text>
                    {f.title}.{" "}
                    <Box as="span" color="ink.soft">
                      {f.cause}
                    </Box>
                  </Text>
                </Flex>
              ))}
            </Box>
          )}
          <Flex gap="3" mt="4" align="center">
            <Strong size="sm" onClick={() => void take(false)} data-testid="take-battery">
              Take it, size again what is not pinned
            </Strong>
            <Plain onClick={() => void take(true)} data-testid="keep-built">
              Take it, keep everything as built
            </Plain>
            <Text fontSize="sm" color="ink.soft">
              The charger and the battery's own protection board must suit the new cells too. Lithium cells: never below their cut-off,
              never without a management system.
            </Text>
          </Flex>
        </>
      )}
    </Box>
  )
}
