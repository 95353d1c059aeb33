import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { Heading, PartColumn } from "../api/client"
import { Foot, Plain, Strong } from "../ui/Page"
import { DESIGNATION } from "./PartForm"

/** A file whose headings are not the shelf's: which field each stands for. */
export function Headings({
  name,
  headings,
  columns,
  bring,
  done,
}: {
  name: string
  headings: readonly Heading[]
  columns: readonly PartColumn[]
  bring: (meant: string[]) => void
  done: () => void
}) {
  const [fields, setFields] = useState(() => headings.map((h) => h.field))
  const all = [DESIGNATION, ...columns]
  const lacking = all.filter((c) => c.required && !fields.includes(c.name))
  return (
    <Box data-testid="headings">
      <Text fontWeight="700">Columns of {name}</Text>
      <Text fontSize="12.5px" color="ink.soft" mb="2" lineHeight="1.3">
        Choose what each stands for. Plain numbers are read in the unit beside it.
      </Text>
      {headings.map((h, i) => (
        <Box key={`${i} ${h.text}`} mb="2">
          <Flex asChild fontSize="sm" gap="2">
            <label htmlFor={`heading-${i}`}>
              <Text flex="1" fontFamily="mono" overflowWrap="anywhere">
                {h.text || "(no heading)"}
              </Text>
              <Text color="ink.soft">{h.units[fields[i] ?? ""]}</Text>
            </label>
          </Flex>
          <NativeSelect.Root size="sm">
            <NativeSelect.Field
              id={`heading-${i}`}
              value={fields[i]}
              onChange={(e) => setFields(fields.map((f, k) => (k === i ? e.target.value : f)))}
              data-testid={`heading-${h.text}`}
            >
              <option value="">leave out</option>
              {all.map((c) => (
                <option key={c.name} value={c.name}>
                  {c.title}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        </Box>
      ))}
      {lacking.length > 0 && (
        <Text fontSize="12.5px" color="fix" data-testid="lacking">
          Still needed: {lacking.map((c) => c.title).join("; ")}
        </Text>
      )}
      <Foot>
        <Strong onClick={() => bring(headings.map((h, i) => `${fields[i]}:${h.text}`))} disabled={lacking.length > 0} data-testid="bring">
          Import
        </Strong>
        <Plain onClick={done}>Cancel</Plain>
      </Foot>
    </Box>
  )
}
