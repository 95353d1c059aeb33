import { Flex, Input, Text } from "@chakra-ui/react"
import { useQueryClient } from "@tanstack/react-query"
import { useState } from "react"

import { client, data, Refusal } from "../api/client"
import { useCurrency } from "../api/hooks"

/** What prices are told in, for the whole workshop: another name relabels them, nothing is converted. */
export function Currency() {
  const currency = useCurrency()
  return <Told key={currency} currency={currency} />
}

function Told({ currency }: { currency: string }) {
  const [text, setText] = useState(currency)
  const [fault, setFault] = useState("")
  const queries = useQueryClient()
  const take = async () => {
    const name = text.trim()
    if (name === currency) return setFault("")
    try {
      await data(client.PUT("/api/currency", { body: { name } }))
      setFault("")
      await queries.invalidateQueries({ queryKey: ["currency"] })
    } catch (error) {
      setFault(error instanceof Refusal ? error.message : String(error))
    }
  }
  return (
    <Flex
      as="label"
      align="center"
      gap="2"
      fontSize="sm"
      color={fault ? "stop" : "ink.soft"}
      title={fault || "Changing it relabels every price; none is converted. House prices are made-up amounts."}
    >
      prices in
      <Input
        size="xs"
        w="78px"
        value={text}
        maxLength={12}
        aria-invalid={fault !== ""}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => void take()}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        data-testid="currency"
      />
      {fault && (
        <Text role="alert" maxW="260px" lineHeight="1.2" fontSize="12px">
          {fault}
        </Text>
      )}
    </Flex>
  )
}
