import { Box, Flex, Input, Link, Text } from "@chakra-ui/react"
import { useQueryClient } from "@tanstack/react-query"
import { useMemo, useRef, useState } from "react"
import { useSearchParams } from "react-router"

import { client, data, Refusal, type Heading, type PartLine } from "../api/client"
import { Fault, Page, Plain, Quiet } from "../ui/Page"
import { Bounds } from "./Bounds"
import { Currency } from "./Currency"
import { Drawer } from "./Drawer"
import { Headings } from "./Headings"
import { Kinds } from "./Kinds"
import { PartForm } from "./PartForm"
import { PartTable } from "./PartTable"
import { Uses } from "./Uses"
import { usePartTable, type Bound } from "./usePartTable"

const MOST_TOLD = 8

/** A form for a part of one's own: an empty one, or filled in like the part that was chosen, to change it or to copy it. */
type Form = "new" | "copy" | "change"
type Filling = { like: string; change: boolean }
/** A file whose headings are not the shelf's own. */
type Strange = { name: string; body: string; headings: Heading[] }
const AS_CSV = { bodySerializer: String, headers: { "Content-Type": "text/csv" } }

/** Parts by kind as tables of their ratings; one's own are made in a form or come as CSV; what lies in the drawer. */
export function Shelf() {
  const [search, setSearch] = useSearchParams()
  const kind = search.get("kind") ?? "mosfet"
  const chosen = search.get("part") ?? undefined
  const form = search.get("form")
  const filling: Filling | undefined = form === null ? undefined : { like: chosen ?? "", change: form === "change" }
  const show = (part?: string, form?: Form) => setSearch({ kind, ...(part && { part }), ...(form && { form }) }, { replace: true })
  const [wanted, setWanted] = useState("")
  const [drawer, setDrawer] = useState(false)
  const [bounds, setBounds] = useState<Bound[]>([])
  const [faults, setFaults] = useState<string[]>([])
  const [said, setSaid] = useState("")
  const [strange, setStrange] = useState<Strange>()
  const { table, error } = usePartTable(kind, bounds)
  const queries = useQueryClient()
  const file = useRef<HTMLInputElement>(null)
  const turn = (to: string) => (setSearch({ kind: to }), setBounds([]), setFaults([]), setSaid(""), setStrange(undefined))
  const told = async (what: string) => {
    setFaults([])
    setSaid(what)
    await queries.invalidateQueries()
  }
  const attempt = async (work: () => Promise<string>) => {
    try {
      await told(await work())
    } catch (error) {
      setSaid("")
      setFaults(
        error instanceof Refusal && error.problem.problems?.length
          ? error.problem.problems.map((p) => p.message)
          : [String(error instanceof Error ? error.message : error)],
      )
    }
  }
  const send = async (body: string, meant: string[]) =>
    `${(await data(client.POST("/api/shelf/{kind}/csv", { params: { path: { kind }, query: { meant } }, body, ...AS_CSV }))).taken} taken`
  const bring = (from: File | undefined) =>
    from &&
    attempt(async () => {
      setStrange(undefined)
      const body = await from.text()
      const headings = await data(client.POST("/api/shelf/{kind}/csv/headings", { params: { path: { kind } }, body, ...AS_CSV }))
      if (headings.every((h) => h.text === h.field)) return send(body, [])
      setStrange({ name: from.name, body, headings })
      return ""
    })
  const bringAs = ({ body }: Strange, meant: string[]) =>
    attempt(async () => {
      const taken = await send(body, meant)
      setStrange(undefined)
      return taken
    })
  const remove = (id: string) =>
    attempt(
      async () => (
        await data(client.DELETE("/api/shelf/{kind}/{designation}", { params: { path: { kind, designation: id } } })),
        show(),
        `${id} deleted`
      ),
    )
  const kept = (id: string | undefined) => (show(id ?? chosen), id && void told(`${id} saved`))
  const rows = table?.rows
  const shown = useMemo(
    () => rows?.filter((p) => (!drawer || p.stock) && `${p.id} ${p.label}`.toLowerCase().includes(wanted.toLowerCase())) ?? [],
    [rows, drawer, wanted],
  )
  const part = rows?.find((p) => p.id === chosen)
  const beside = () => {
    if (strange && table)
      return (
        <Headings
          name={strange.name}
          headings={strange.headings}
          columns={table.columns}
          bring={(meant) => void bringAs(strange, meant)}
          done={() => setStrange(undefined)}
        />
      )
    if (filling) return <PartForm key={`${kind} ${filling.like}`} kind={kind} {...filling} done={kept} />
    return part && <Chosen key={part.id} kind={kind} part={part} fill={(form) => show(part.id, form)} remove={remove} told={told} />
  }
  return (
    <Page title="Shelf" whole>
      <Flex gap="3" mb="3" align="center" wrap="wrap">
        <Input
          size="xs"
          w="170px"
          placeholder="find a part"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          aria-label="find a part"
          data-testid="find-part"
        />
        {table && <Bounds key={kind} columns={table.columns} bounds={bounds} set={setBounds} />}
        <Plain
          size="xs"
          aria-pressed={drawer}
          borderColor={drawer ? "copper" : "hair"}
          color={drawer ? "copper" : "ink"}
          onClick={() => setDrawer(!drawer)}
          data-testid="drawer-only"
        >
          In the drawer
        </Plain>
        <Text fontSize="sm" color="ink.soft" data-testid="said">
          {said || (table ? `${shown.length} of ${table.count}` : "")}
        </Text>
        <Flex ml="auto" gap="2" align="center">
          <Currency />
          <Plain size="xs" onClick={() => show(undefined, "new")} data-testid="add-part">
            Add a part
          </Plain>
          <Plain size="xs" onClick={() => file.current?.click()}>
            Import CSV
          </Plain>
          <Link href={`/api/shelf/${kind}/csv`} download fontSize="sm" color="ink.soft" textDecoration="underline">
            save as CSV
          </Link>
        </Flex>
        <input
          ref={file}
          type="file"
          accept=".csv,text/csv"
          hidden
          onChange={(e) => (void bring(e.target.files?.[0]), (e.target.value = ""))}
          data-testid="csv-file"
        />
      </Flex>
      {faults.length > 0 && (
        <Fault mb="3">
          Nothing was taken.
          {faults.slice(0, MOST_TOLD).map((f) => (
            <Text key={f}>{f}</Text>
          ))}
        </Fault>
      )}
      {error && <Fault mb="3">{error.message}</Fault>}
      <Flex flex="1" minH="0" gap="4">
        <Kinds kind={kind} turn={turn} />
        {table && shown.length > 0 && <PartTable key={kind} columns={table.columns} rows={shown} chosen={chosen} choose={show} />}
        {table && shown.length === 0 && (
          <Text p="5" flex="1" color="ink.soft" bg="sheet" border="1px solid" borderColor="hair">
            {drawer ? "None of these lie in the drawer. Choose a part in the table and say how many you have." : "No part matches."}
          </Text>
        )}
        {(filling || part || strange) && (
          <Box
            as="aside"
            w="318px"
            flexShrink="0"
            overflowY="auto"
            bg="sheet"
            border="1px solid"
            borderColor="hair"
            p="4"
            data-testid="part-panel"
          >
            {beside()}
          </Box>
        )}
      </Flex>
    </Page>
  )
}

interface ChosenProps {
  kind: string
  part: PartLine
  fill: (form: Form) => void
  remove: (id: string) => Promise<void>
  told: (what: string) => Promise<void>
}

const Chosen = ({ kind, part, fill, remove, told }: ChosenProps) => (
  <>
    <Text as="h2" fontWeight="700" fontFamily="mono" overflowWrap="anywhere">
      {part.id}
    </Text>
    {part.label !== part.id && <Text fontSize="sm">{part.label}</Text>}
    <Text fontSize="sm" color={part.origin === "own" ? "copper" : "ink.soft"}>
      {part.origin === "own" ? "your own" : "house part"}
    </Text>
    <Uses kind={kind} part={part.id} />
    <Flex gap="3" mt="2">
      {part.origin === "own" && (
        <Quiet onClick={() => fill("change")} textDecoration="underline" data-testid="change-part">
          change
        </Quiet>
      )}
      <Quiet onClick={() => fill("copy")} textDecoration="underline" data-testid="copy-part">
        copy
      </Quiet>
      {part.origin === "own" && (
        <Quiet onClick={() => void remove(part.id)} textDecoration="underline" data-testid="delete-part">
          delete
        </Quiet>
      )}
    </Flex>
    <Drawer key={JSON.stringify(part.stock)} kind={kind} part={part} told={told} />
  </>
)
