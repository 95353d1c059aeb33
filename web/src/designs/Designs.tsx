import { Box, Flex, Input, Text } from "@chakra-ui/react"
import { useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"
import { Link, useNavigate } from "react-router"

import { archive, restore, restored } from "../api/archive"
import { client, data, Refusal, type Design, type DesignLine } from "../api/client"
import { useDesigns } from "../api/hooks"
import { download } from "../ui/download"
import { Fault, Page, Plain, Quiet, Strong } from "../ui/Page"

const NEW: Design = { name: "Untitled", rules: "usual", pins: {}, brief: {} }

/** Every design; a new one, one from a file, those archived. */
export function Designs() {
  const [away, setAway] = useState(false)
  const [wanted, setWanted] = useState("")
  const [fault, setFault] = useState<string>()
  const [told, setTold] = useState<string>()
  const designs = useDesigns(away)
  const queries = useQueryClient()
  const navigate = useNavigate()
  const file = useRef<HTMLInputElement>(null)
  const attempt = async (work: () => Promise<void>) => {
    try {
      setFault(undefined)
      setTold(undefined)
      await work()
      await queries.invalidateQueries({ queryKey: ["designs"] })
    } catch (error) {
      setFault(error instanceof Refusal ? error.message : "This file is not a design in JSON.")
    }
  }
  // a file is sent as it is written: the server reads it, and says what it refuses
  const start = (design: Design, text = JSON.stringify(design)) =>
    attempt(async () => {
      JSON.parse(text)
      const made = await data(client.POST("/api/designs", { body: design, bodySerializer: () => text }))
      await navigate(`/design/${made.id}?block=brief`)
    })
  const bring = (chosen: File | undefined) =>
    chosen &&
    attempt(async () => {
      if (!/\.zip$/i.test(chosen.name)) return start(NEW, await chosen.text())
      setTold(restored(await restore(chosen)))
      await queries.invalidateQueries()
    })
  const exportAll = () => attempt(async () => download(await archive(), `rhombos-${new Date().toISOString().slice(0, 10)}.zip`))
  const shown = designs.data?.filter((d) => `${d.name} ${d.asked}`.toLowerCase().includes(wanted.toLowerCase()))
  return (
    <Page title="Designs">
      <Flex gap="3" mb="4" align="center">
        <Strong onClick={() => void start(NEW)} data-testid="new-design">
          New design
        </Strong>
        <Plain onClick={() => file.current?.click()} title="a design in JSON, or an archive of everything">
          Open a file
        </Plain>
        <Plain
          onClick={() => void exportAll()}
          title="every design with its past and every part of your own, in one archive"
          data-testid="export-all"
        >
          Export all
        </Plain>
        <input
          ref={file}
          type="file"
          accept=".json,application/json,.zip,application/zip"
          hidden
          onChange={(e) => void bring(e.target.files?.[0])}
          data-testid="open-file"
        />
        <Input
          size="sm"
          w="260px"
          ml="auto"
          placeholder="find a design"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          aria-label="find a design"
        />
        <Quiet onClick={() => setAway(!away)} data-testid="show-away">
          {away ? "back to the designs" : "archived"}
        </Quiet>
      </Flex>
      {(fault ?? designs.error?.message) && <Fault mb="3">{fault ?? designs.error?.message}</Fault>}
      {told && (
        <Text mb="3" fontSize="sm" role="status" data-testid="restored">
          {told}
        </Text>
      )}
      <Box bg="sheet" border="1px solid" borderColor="hair">
        {shown?.map((d) => (
          <Row
            key={d.id}
            design={d}
            away={away}
            move={() =>
              void attempt(async () => {
                const params = { path: { identity: d.id } }
                await (away
                  ? data(client.POST("/api/designs/{identity}/restore", { params }))
                  : data(client.DELETE("/api/designs/{identity}", { params })))
              })
            }
            copy={() =>
              void attempt(async () => {
                const { design } = await data(client.GET("/api/designs/{identity}", { params: { path: { identity: d.id } } }))
                await start({ ...design, name: `${design.name}, copy`.slice(0, 80) })
              })
            }
          />
        ))}
        {shown?.length === 0 && (
          <Text p="6" color="ink.soft" data-testid="no-designs">
            {wanted
              ? "No design of that name."
              : away
                ? "Nothing is archived."
                : "No designs yet. Start one: say what feeds it, which socket, how much power; the rest is proposed."}
          </Text>
        )}
      </Box>
      <Text mt="6" fontSize="sm" color="ink.soft" maxW="86ch">
        Rhombos computes; it certifies nothing. Link and output voltages kill, batteries start fires. What is connected to the public grid
        or to fixed wiring needs certified equipment and licensed practice; local codes decide earthing, residual-current protection and
        enclosures.
      </Text>
    </Page>
  )
}

function Row({ design: d, away, move, copy }: { design: DesignLine; away: boolean; move: () => void; copy: () => void }) {
  return (
    <Flex
      align="center"
      gap="4"
      px="4"
      minH="58px"
      borderBottom="1px solid"
      borderColor="faint"
      _hover={{ bg: "faint" }}
      data-testid={`design-${d.id}`}
    >
      <Box flex="1" minW="0">
        <Link to={`/design/${d.id}`}>
          <Text fontWeight="700" truncate>
            {d.name}
          </Text>
          <Text fontSize="sm" color="ink.soft" truncate>
            {d.asked}
          </Text>
        </Link>
      </Box>
      <Text fontSize="sm" color="ink.soft" whiteSpace="nowrap">
        revision {d.revision}, {new Date(d.saved).toLocaleString([], { dateStyle: "medium", timeStyle: "short", hour12: false })}
      </Text>
      {!away && <Quiet onClick={copy}>copy</Quiet>}
      <Quiet onClick={move} data-testid={`${away ? "restore" : "away"}-${d.id}`}>
        {away ? "restore" : "archive"}
      </Quiet>
    </Flex>
  )
}
