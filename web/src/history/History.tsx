import { Box, Flex, Grid, Input, Table, Text } from "@chakra-ui/react"
import { useEffect, useState } from "react"

import { client, data, Refusal } from "../api/client"
import type { DesignHandle } from "../bench/useDesign"
import { Fault, Plain, Quiet, Strong } from "../ui/Page"
import { useChanges, useHistory, useNaming, useSizedThen, type Burst, type Revision } from "./useHistory"

const day = (moment: string) => new Date(moment).toLocaleDateString([], { weekday: "long", day: "numeric", month: "long", year: "numeric" })
const hour = (moment: string) => new Date(moment).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false })

/** What a revision changed, in a few words. */
const said = (r: Revision) =>
  r.touched.length
    ? r.touched.slice(0, 2).join(", ") + (r.touched.length > 2 ? ` and ${r.touched.length - 2} more` : "")
    : r.number === 1
      ? "the first"
      : r.name

/** Every revision of the design: what each changed, its name, and the way back to it. */
export function History({ handle, done }: { handle: DesignHandle; done: () => void }) {
  const past = useHistory(handle.id, handle.head)
  const [chosen, setChosen] = useState<number>()
  const [open, setOpen] = useState<string>()
  const [fault, setFault] = useState<string>()
  const all = past.data?.flatMap((b) => b.revisions) ?? []
  const revision = all.find((r) => r.number === chosen) ?? all[0]
  const days = [...new Set(past.data?.map((b) => day(b.ended)))]
  const attempt = async (work: () => Promise<void>) => {
    try {
      setFault(undefined)
      await work()
    } catch (error) {
      setFault(error instanceof Refusal ? error.message : String(error))
    }
  }
  const content = (number: number) =>
    data(client.GET("/api/designs/{identity}/revisions/{number}", { params: { path: { identity: handle.id, number } } }))
  const bringBack = (number: number) =>
    attempt(async () => {
      const { design } = await content(number)
      const problem = await handle.change(design)
      if (problem) setFault(problem.detail)
    })
  const copy = (r: Revision) =>
    attempt(async () => {
      const { design } = await content(r.number)
      await data(client.POST("/api/designs", { body: { ...design, name: `${design.name}, as of revision ${r.number}`.slice(0, 80) } }))
      setFault(undefined)
      setCopied(r.number)
    })
  const [copied, setCopied] = useState<number>()
  return (
    <Grid
      flex="1"
      minH="0"
      templateColumns="minmax(300px, 0.7fr) minmax(420px, 1.3fr)"
      data-testid="history"
      data-fresh={!past.isPlaceholderData && !past.isPending}
    >
      <Box px="5" py="3" overflowY="auto" minH="0" borderRight="1px solid" borderColor="hair">
        <Flex align="baseline" mb="2">
          <Text as="h2" fontWeight="700" fontSize="lg">
            History
          </Text>
          <Text ml="3" fontSize="sm" color="ink.soft">
            {all.length} revisions, none is ever lost
          </Text>
          <Quiet ml="auto" onClick={done}>
            close
          </Quiet>
        </Flex>
        {past.error && <Fault>{past.error.message}</Fault>}
        {days.map((d) => (
          <Box key={d} mb="3">
            <Text fontSize="sm" color="ink.soft" borderBottom="1px solid" borderColor="hair" pb="0.5">
              {d}
            </Text>
            {past.data
              ?.filter((b) => day(b.ended) === d)
              .map((b) => (
                <BurstRow
                  key={b.began}
                  burst={b}
                  open={open === b.began}
                  toggle={() => setOpen(open === b.began ? undefined : b.began)}
                  chosen={revision?.number}
                  choose={setChosen}
                  head={handle.head}
                />
              ))}
          </Box>
        ))}
      </Box>
      <Box px="5" py="3" overflowY="auto" minH="0">
        {fault && <Fault mb="2">{fault}</Fault>}
        {revision && (
          <>
            <Flex align="center" gap="3" mb="1">
              <Text as="h2" fontWeight="700" fontSize="lg" whiteSpace="nowrap" data-testid="revision-title">
                Revision {revision.number}
              </Text>
              <Naming key={revision.number} handle={handle} revision={revision} />
            </Flex>
            <Text fontSize="sm" color="ink.soft" mb="3">
              {day(revision.saved)}, {hour(revision.saved)}
              {revision.number === handle.head ? "; the design as it stands" : ""}
            </Text>
            <Flex gap="3" mb="4" align="center">
              <Strong disabled={revision.number === handle.head} onClick={() => void bringBack(revision.number)} data-testid="bring-back">
                Bring it back
              </Strong>
              <Plain onClick={() => void copy(revision)} data-testid="copy-revision">
                Make a design of it
              </Plain>
              <Text fontSize="sm" color="ink.soft">
                {copied === revision.number
                  ? "made; it stands among the designs"
                  : "a new revision on top; what stands now stays in the history"}
              </Text>
            </Flex>
            <SizedThen key={`sized-${revision.number}`} handle={handle} number={revision.number} />
            <Changes
              title={revision.number > 1 ? `What it changed in revision ${revision.number - 1}` : "What it started with"}
              handle={handle}
              number={revision.number}
              testid="changed"
            />
            {revision.number < handle.head && (
              <Changes title="What has changed since" handle={handle} number={handle.head} since={revision.number} testid="changed-since" />
            )}
          </>
        )}
      </Box>
    </Grid>
  )
}

function BurstRow({
  burst,
  open,
  toggle,
  chosen,
  choose,
  head,
}: {
  burst: Burst
  open: boolean
  toggle: () => void
  chosen: number | undefined
  choose: (n: number) => void
  head: number
}) {
  const newest = burst.revisions[0]
  if (!newest) return null
  const named = burst.revisions.filter((r) => r.label && r !== newest)
  const shown = open ? burst.revisions : [newest, ...named]
  const hidden = burst.revisions.length - 1 - named.length
  return (
    <Box borderBottom="1px solid" borderColor="faint" py="1">
      {shown.map((r) => (
        <Flex
          as="button"
          key={r.number}
          w="100%"
          textAlign="left"
          align="baseline"
          gap="3"
          px="1"
          py="1"
          borderLeft="3px solid"
          borderColor={r.number === chosen ? "copper" : "transparent"}
          _hover={{ bg: "faint" }}
          onClick={() => choose(r.number)}
          aria-pressed={r.number === chosen}
          data-testid={`revision-${r.number}`}
        >
          <Text fontFamily="mono" fontSize="sm" w="46px" flexShrink="0">
            {hour(r.saved)}
          </Text>
          <Text fontSize="sm" truncate>
            {r.label ? <b>{r.label}</b> : said(r)}
          </Text>
          <Text fontSize="sm" color="ink.soft" ml="auto" whiteSpace="nowrap">
            {r.number === head ? "stands now, " : ""}revision {r.number}
          </Text>
        </Flex>
      ))}
      {(hidden > 0 || open) && burst.revisions.length > 1 && (
        <Quiet fontSize="xs" ml="2" onClick={toggle} aria-expanded={open} data-testid={`burst-${newest.number}`}>
          {open ? "fewer" : `and ${hidden} more since ${hour(burst.began)}`}
        </Quiet>
      )}
    </Box>
  )
}

function Naming({ handle, revision }: { handle: DesignHandle; revision: Revision }) {
  const [text, setText] = useState(revision.label)
  const naming = useNaming(handle.id)
  useEffect(() => setText(revision.label), [revision.label])
  const take = () => text.trim() !== revision.label && naming.mutate({ number: revision.number, label: text.trim() })
  return (
    <>
      <Input
        size="sm"
        maxW="320px"
        placeholder="give it a name: as wound, before the new core …"
        value={text}
        maxLength={80}
        aria-label="name of this revision"
        data-testid="revision-name"
        onChange={(e) => setText(e.target.value)}
        onBlur={take}
        onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && e.currentTarget.blur())}
      />
      {naming.error && <Fault>{naming.error.message}</Fault>}
    </>
  )
}

const SHOWN = { power_in: "in", lost: "lost", efficiency: "efficiency", idle: "no load", run_time: "run time" } as const

/** What a revision came to with the drawer as it was then, and what the drawer holds otherwise now. */
function SizedThen({ handle, number }: { handle: DesignHandle; number: number }) {
  const sized = useSizedThen(handle.id, number)
  if (sized.error) return <Fault mb="3">{sized.error.message}</Fault>
  const { then, drawer } = sized.data ?? {}
  const grave = then
    ? [then.stops ? `${then.stops} to stop for` : "", then.fixes ? `${then.fixes} to mend` : ""].filter(Boolean).join(", ")
    : ""
  const held = drawer?.length ? drawer.map((d) => `${d.part} ${d.before}, now ${d.after}`) : []
  return (
    <Box mb="4" minH="44px" data-testid="sized-then" data-ready={then !== undefined}>
      {then && (
        <Text fontSize="sm">
          <b>As it was sized</b>, on today’s shelf with the drawer of that day:{" "}
          {Object.entries(SHOWN)
            .filter(([key]) => then.texts[key])
            .map(([key, said]) => `${said} ${then.texts[key]}`)
            .join("; ") || "nothing could be built"}
          {grave && `; ${grave}`}.
        </Text>
      )}
      {held.length > 0 && (
        <Text fontSize="sm" color="ink.soft" data-testid="drawer-since">
          The drawer has changed since: {held.slice(0, 6).join("; ")}
          {held.length > 6 && `; and ${held.length - 6} more`}.
        </Text>
      )}
    </Box>
  )
}

function Changes({
  title,
  handle,
  number,
  since,
  testid,
}: {
  title: string
  handle: DesignHandle
  number: number
  since?: number
  testid: string
}) {
  const changes = useChanges(handle.id, number, since)
  return (
    <Box mb="5" data-testid={testid}>
      <Text fontWeight="600" mb="1">
        {title}
      </Text>
      {changes.error && <Fault>{changes.error.message}</Fault>}
      {changes.data?.length === 0 && (
        <Text fontSize="sm" color="ink.soft">
          Nothing differs.
        </Text>
      )}
      {!!changes.data?.length && (
        <Table.Root size="sm" variant="line" bg="transparent" tableLayout="fixed" maxW="860px">
          <Table.Header>
            <Table.Row bg="transparent">
              <Table.ColumnHeader w="46%">field</Table.ColumnHeader>
              <Table.ColumnHeader w="27%">before</Table.ColumnHeader>
              <Table.ColumnHeader w="27%">after</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {changes.data.map((c) => (
              <Table.Row key={c.address} bg="transparent">
                <Table.Cell title={c.address}>{c.title}</Table.Cell>
                <Table.Cell fontFamily="mono" color="ink.soft">
                  {c.before}
                </Table.Cell>
                <Table.Cell fontFamily="mono">{c.after}</Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
    </Box>
  )
}
