import "./coils.css"

import { Box, Flex, Text } from "@chakra-ui/react"

import type { OptionTable, PinValue, Problem } from "../api/client"

/** Put pins into the design; what is refused comes back. */
export type Apply = (patch: Record<string, PinValue>) => Promise<Problem | null>

/** Choices side by side, any of which can be taken. */
export function Options({ table: t, apply }: { table: OptionTable; apply: Apply }) {
  return (
    <Box mb="3" data-testid={`options-${t.key}`}>
      <Flex align="baseline" gap="3">
        <Text fontWeight="700" fontSize="sm" whiteSpace="nowrap">
          {t.title}
        </Text>
        <Text fontSize="12.5px" color="ink.soft" truncate title={t.remark}>
          {t.remark}
        </Text>
      </Flex>
      <table className="options">
        <thead>
          <tr>
            <td />
            {t.columns.map(({ name: key, text: title }) => (
              <th key={key}>{title}</th>
            ))}
            <td />
          </tr>
        </thead>
        <tbody>
          {t.options.map((o, i) => (
            <tr
              key={`${o.name}-${i}`}
              data-here={o.here}
              data-fits={o.fits}
              title={o.why ? `against it: ${o.why}` : undefined}
              data-testid={`option-${t.key}-${o.name}`}
            >
              <td>{o.name}</td>
              {t.columns.map(({ name: key }) => (
                <td key={key}>{o.texts[key] ?? ""}</td>
              ))}
              <td>
                {o.here ? (
                  <Text as="span" fontFamily="body" fontSize="12px" color="copper">
                    here
                  </Text>
                ) : (
                  <button onClick={() => void apply(o.patch)}>take</button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  )
}
