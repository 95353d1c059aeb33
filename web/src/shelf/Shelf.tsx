import { Box, Flex, Input, Link, Text } from "@chakra-ui/react"
import { useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"

import { client, data, Refusal, type PartOut } from "../api/client"
import { useKinds, useParts } from "../api/hooks"
import { Fault, Page, Plain, Quiet } from "../ui/Page"

/** Parts by kind; one's own come in and go out as CSV. */
export function Shelf() {
  const kinds = useKinds()
  const [kind, setKind] = useState("mosfet")
  const [wanted, setWanted] = useState("")
  const [faults, setFaults] = useState<string[]>([])
  const [said, setSaid] = useState("")
  const parts = useParts(kind)
  const queries = useQueryClient()
  const file = useRef<HTMLInputElement>(null)
  const attempt = async (work: () => Promise<string>) => {
    try {
      setFaults([])
      setSaid(await work())
      await queries.invalidateQueries()
    } catch (error) {
      setSaid("")
      setFaults(error instanceof Refusal ? (error.problem.problems?.length ? error.problem.problems.map((p) => p.message) : [error.message]) : [String(error)])
    }
  }
  const bring = (chosen: File | undefined) =>
    chosen &&
    attempt(async () => {
      const answer = await data(client.POST("/api/shelf/{kind}/csv", { params: { path: { kind } }, body: await chosen.text(), bodySerializer: String, headers: { "Content-Type": "text/csv" } }))
      return `${answer.taken} taken`
    })
  const shown = parts.data?.filter((p) => `${p.id} ${p.label}`.toLowerCase().includes(wanted.toLowerCase()))
  return (
    <Page title="Shelf">
      <Flex gap="2" wrap="wrap" mb="4">
        {kinds.data?.map((k) => (
          <Plain key={k.kind} size="xs" onClick={() => setKind(k.kind)} borderColor={k.kind === kind ? "copper" : "hair"} color={k.kind === kind ? "copper" : "ink"} data-testid={`kind-${k.kind}`}>
            {k.kind.replace("_", "-")} {k.count}
          </Plain>
        ))}
      </Flex>
      <Flex gap="4" mb="3" align="center">
        <Input size="sm" w="260px" placeholder="find a part" value={wanted} onChange={(e) => setWanted(e.target.value)} aria-label="find a part" />
        <Text fontSize="sm" color="ink.soft" data-testid="said">
          {said || `${shown?.length ?? 0} shown`}
        </Text>
        <Link ml="auto" href={`/api/shelf/${kind}/csv`} download fontSize="sm" color="ink.soft" textDecoration="underline">
          save as CSV
        </Link>
        <Plain size="xs" onClick={() => file.current?.click()}>
          Take from CSV
        </Plain>
        <input ref={file} type="file" accept=".csv,text/csv" hidden onChange={(e) => (void bring(e.target.files?.[0]), (e.target.value = ""))} data-testid="csv-file" />
      </Flex>
      {faults.length > 0 && (
        <Fault mb="3">
          Nothing was taken.
          {faults.slice(0, 8).map((f) => (
            <Text key={f}>{f}</Text>
          ))}
        </Fault>
      )}
      {parts.error && <Fault>{parts.error.message}</Fault>}
      <Box bg="sheet" border="1px solid" borderColor="hair">
        {shown?.map((p) => (
          <Row key={p.id} part={p} drop={() => void attempt(async () => (await data(client.DELETE("/api/shelf/{kind}/{designation}", { params: { path: { kind, designation: p.id } } })), `${p.id} taken off`))} />
        ))}
        {shown?.length === 0 && (
          <Text p="5" color="ink.soft">
            No part of that name.
          </Text>
        )}
      </Box>
    </Page>
  )
}

const Row = ({ part: p, drop }: { part: PartOut; drop: () => void }) => (
  <Flex px="4" minH="34px" align="center" gap="4" borderBottom="1px solid" borderColor="faint" fontSize="sm">
    <Text fontFamily="mono" w="200px" truncate>
      {p.id}
    </Text>
    <Text flex="1" truncate>
      {p.label}
    </Text>
    <Text color={p.origin === "own" ? "copper" : "ink.soft"}>{p.origin === "own" ? "your own" : "house part"}</Text>
    {p.origin === "own" && <Quiet onClick={drop}>take off</Quiet>}
  </Flex>
)
