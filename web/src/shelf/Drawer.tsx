import { Box, Flex, Grid, Input, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data, Refusal, type PartLine, type Stock } from "../api/client"
import { useCurrency } from "../api/hooks"
import { Fault, Plain, Strong } from "../ui/Page"

type Condition = NonNullable<Stock["condition"]>
const CONDITIONS: readonly Condition[] = ["new", "salvaged", "unverified"]

/** What the drawer holds of a part: proposals take it where it serves. */
export function Drawer({ kind, part, told }: { kind: string; part: PartLine; told: (what: string) => Promise<void> }) {
  const [count, setCount] = useState(String(part.stock?.count ?? ""))
  const [condition, setCondition] = useState<Condition>(part.stock?.condition ?? "new")
  const [paid, setPaid] = useState(String(part.stock?.paid ?? ""))
  const [note, setNote] = useState(part.stock?.note ?? "")
  const [fault, setFault] = useState<string>()
  const currency = useCurrency()
  const path = { kind, designation: part.id }
  const attempt = async (work: () => Promise<unknown>, what: string) => {
    try {
      await work()
      setFault(undefined)
      await told(what)
    } catch (error) {
      setFault(error instanceof Refusal ? error.message : String(error))
    }
  }
  const keep = () =>
    attempt(
      () =>
        data(
          client.PUT("/api/drawer/{kind}/{designation}", {
            params: { path },
            body: { count: count || "0", condition, paid: paid || "0", note },
          }),
        ),
      `${part.id}: ${count} in the drawer`,
    )
  const out = () =>
    attempt(() => data(client.DELETE("/api/drawer/{kind}/{designation}", { params: { path } })), `${part.id} taken out of the drawer`)
  return (
    <Box
      as="form"
      onSubmit={(e) => (e.preventDefault(), void keep())}
      borderTop="1px solid"
      borderColor="hair"
      pt="2"
      mt="3"
      data-testid="drawer"
    >
      <Text fontWeight="700">In the drawer</Text>
      <Text fontSize="12.5px" color="ink.soft" mb="2" lineHeight="1.3">
        Proposals weigh it at a share of its price and take it where it serves.
      </Text>
      <Grid templateColumns="auto 1fr" gapX="3" gapY="1.5" alignItems="center" fontSize="sm">
        <label htmlFor="stock-count">Number</label>
        <Input
          id="stock-count"
          size="sm"
          fontFamily="mono"
          value={count}
          inputMode="numeric"
          onChange={(e) => setCount(e.target.value)}
          data-testid="stock-count"
        />
        <label htmlFor="stock-condition">Condition</label>
        <NativeSelect.Root size="sm">
          <NativeSelect.Field
            id="stock-condition"
            value={condition}
            onChange={(e) => setCondition(CONDITIONS.find((c) => c === e.target.value) ?? "new")}
            data-testid="stock-condition"
          >
            {CONDITIONS.map((c) => (
              <option key={c} value={c}>
                {c}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <label htmlFor="stock-paid">Paid, {currency} each</label>
        <Input
          id="stock-paid"
          size="sm"
          fontFamily="mono"
          value={paid}
          inputMode="decimal"
          onChange={(e) => setPaid(e.target.value)}
          data-testid="stock-paid"
        />
        <label htmlFor="stock-note">Note</label>
        <Input
          id="stock-note"
          size="sm"
          value={note}
          maxLength={200}
          placeholder="where from"
          onChange={(e) => setNote(e.target.value)}
          data-testid="stock-note"
        />
      </Grid>
      {fault && <Fault mt="2">{fault}</Fault>}
      <Flex gap="2" mt="2">
        <Strong type="submit" size="xs" data-testid="keep-stock">
          {part.stock ? "Save" : "Put in the drawer"}
        </Strong>
        {part.stock && (
          <Plain size="xs" onClick={() => void out()} data-testid="take-out">
            Take out
          </Plain>
        )}
      </Flex>
    </Box>
  )
}
