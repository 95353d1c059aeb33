import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import type { Figure, PinValue, Problem, Step } from "../api/client"
import { useAsk, useBook, useWorking } from "../api/hooks"
import { Fault, Plain, Quiet, Strong } from "../ui/Page"
import { Tex } from "../ui/Tex"

interface Props {
  figure: Figure
  step: Step | undefined
  close: () => void
  pin: (address: string, value: PinValue) => Promise<Problem | null>
}

/** A figure's working: formula, numbers put in, result, source, and the answer for any other symbol. */
export function Working({ figure, step, close, pin }: Props) {
  const relation = useBook().data?.find((r) => r.key === step?.relation)
  const worked = useWorking(step?.relation, step?.inputs)
  return (
    <Box
      as="section"
      aria-label="working"
      borderLeft="3px solid"
      borderColor="copper"
      bg="sheet"
      px="4"
      py="3"
      mb="4"
      data-testid="working"
    >
      <Flex justify="space-between" align="baseline" gap="2">
        <Text fontWeight="700">{relation?.title ?? figure.title}</Text>
        <Quiet onClick={close} aria-label="close the working">
          close
        </Quiet>
      </Flex>
      <Text fontSize="sm" color="ink.soft">
        {figure.title}
        {figure.point && `, at ${figure.point}`}
      </Text>
      {step?.relation === "sum" && <Sum step={step} total={figure.text} />}
      {figure.asked && (
        <Text fontSize="sm" data-testid="asked">
          Asked: {figure.asked}.{" "}
          {figure.choice
            ? "The cheapest on the shelf that stands all of it, of what lies in the drawer before the rest."
            : "Nothing on the shelf stands all of it."}
        </Text>
      )}
      {!step && !figure.asked && <Text fontSize="sm">This figure is read straight from the parts and the brief: {figure.text}.</Text>}
      {relation && (
        <>
          <Box overflowX="auto" overflowY="hidden" py="1" fontSize="0.92em" data-testid="formula">
            <Tex block>{relation.latex}</Tex>
            {worked.data && <Tex block>{worked.data.substituted}</Tex>}
          </Box>
          {worked.data && (
            <Text fontFamily="mono" fontWeight="700" textAlign="right" mt="-2" mb="1" data-testid="result">
              {worked.data.text}
            </Text>
          )}
          <Text fontSize="sm">
            <b>Holds:</b> {relation.holds}.
          </Text>
          <Text fontSize="sm" color="ink.soft">
            Source: {relation.source}.
          </Text>
          {step && (
            <SolveFor
              key={figure.address}
              step={step}
              target={relation.symbols.find((s) => s.target)?.name ?? ""}
              present={worked.data?.values.at(-1)?.text ?? figure.text}
              pin={pin}
            />
          )}
        </>
      )}
    </Box>
  )
}

const Sum = ({ step, total }: { step: Step; total: string }) => (
  <Box as="table" fontSize="sm" mt="2" w="full" data-testid="sum">
    <tbody>
      {step.rows.map((r) => (
        <tr key={r.name}>
          <td>{r.meaning}</td>
          <Box as="td" fontFamily="mono" textAlign="right">
            {r.text}
          </Box>
        </tr>
      ))}
      <tr>
        <Box as="td" fontWeight="700" borderTop="1px solid" borderColor="hair">
          together
        </Box>
        <Box as="td" fontFamily="mono" fontWeight="700" textAlign="right" borderTop="1px solid" borderColor="hair">
          {total}
        </Box>
      </tr>
    </tbody>
  </Box>
)

interface SolveProps {
  step: Step
  target: string
  present: string
  pin: Props["pin"]
}

/** The symbols with their values, and what one of them must be for another result. */
function SolveFor({ step, target, present, pin }: SolveProps) {
  const [symbol, setSymbol] = useState(() => step.rows.find((r) => r.pin)?.name ?? step.rows[0]?.name ?? "")
  const [wish, setWish] = useState(present)
  const { answer, refused, ask, forget, refuse } = useAsk(step.relation)
  const row = step.rows.find((r) => r.name === symbol)
  const solve = () => {
    const values: Record<string, number | string> = { ...step.inputs, [target]: wish }
    delete values[symbol]
    return ask(values, row?.whole ?? false)
  }
  return (
    <Box mt="3">
      <Box as="table" fontSize="sm" w="full">
        <tbody>
          {step.rows.map((r) => (
            <tr key={r.name}>
              <Box as="td" w="64px">
                <Tex>{r.latex}</Tex>
              </Box>
              <Box as="td" color="ink.soft">
                {r.meaning}
              </Box>
              <Box as="td" fontFamily="mono" textAlign="right" whiteSpace="nowrap">
                {r.text}
              </Box>
            </tr>
          ))}
        </tbody>
      </Box>
      <Flex mt="3" gap="2" align="center" wrap="wrap" fontSize="sm">
        <Text>For</Text>
        <Input
          size="xs"
          w="100px"
          fontFamily="mono"
          value={wish}
          onChange={(e) => setWish(e.target.value)}
          onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && void solve())}
          aria-label="wanted result"
          data-testid="wish"
        />
        <Text>solve for</Text>
        <NativeSelect.Root size="xs" w="190px">
          <NativeSelect.Field
            value={symbol}
            onChange={(e) => (setSymbol(e.target.value), forget())}
            aria-label="solve for"
            data-testid="solve-for"
          >
            {step.rows.map((r) => (
              <option key={r.name} value={r.name}>
                {r.meaning}
                {r.pin ? " (can be pinned)" : ""}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Plain size="xs" onClick={() => void solve()} data-testid="solve">
          solve
        </Plain>
      </Flex>
      {refused && <Fault mt="2">{refused}</Fault>}
      {answer && (
        <Flex mt="2" gap="3" align="center">
          <Text fontFamily="mono" fontWeight="700" data-testid="answer">
            {symbol} = {answer.text}
          </Text>
          {row?.pin && (
            <Strong size="xs" data-testid="pin-answer" onClick={async () => refuse((await pin(row.pin ?? "", answer.value))?.detail)}>
              Pin it
            </Strong>
          )}
        </Flex>
      )}
    </Box>
  )
}
