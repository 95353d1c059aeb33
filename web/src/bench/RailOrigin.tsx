import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data, type Design, type Problem, Refusal } from "../api/client"
import { useOrigin, useRails } from "../api/hooks"
import { useHistory } from "../history/useHistory"
import { Quiet } from "../ui/Page"
import type { Edit } from "./useDesign"

interface Props {
  design: Design
  change: (edit: Edit, edited?: string) => Promise<Problem | null>
}

type Origin = { design: string; revision: number }
const OWN = "typed here"

/** Which revision the values are from; the last of each burst of edits, and those with a name, can be taken instead. */
function Revision({ of, latest, busy, take }: { of: Origin; latest: number; busy: boolean; take: (revision: number) => void }) {
  const bursts = useHistory(of.design, latest).data ?? []
  const offered = bursts.flatMap((burst) => burst.revisions.filter((r, i) => i === 0 || r.label || r.number === of.revision))
  return (
    <select
      value={of.revision}
      disabled={busy}
      aria-label="revision"
      onChange={(e) => take(Number(e.target.value))}
      data-testid="rail-revision-of"
    >
      {!offered.some((r) => r.number === of.revision) && <option>{of.revision}</option>}
      {offered.map((r) => (
        <option key={r.number} value={r.number}>
          {r.label ? `${r.number}, ${r.label}` : r.number}
        </option>
      ))}
    </select>
  )
}

/** A rail that may be another design's DC socket: which, at which revision, and whether that is still the latest. */
export function RailOrigin({ design, change }: Props) {
  const [told, setTold] = useState("")
  const [busy, setBusy] = useState(false)
  const source = design.brief?.sources?.[0]
  const of = source?.kind === "DC rail" ? source.of : undefined
  const rails = useRails()
  const origin = useOrigin(of?.design)
  if (source?.kind !== "DC rail") return null
  const free = () => change((now) => ({ brief: { ...now.brief, sources: now.brief?.sources?.map((s) => ({ ...s, of: undefined })) } }))
  const take = async (identity: string, revision?: number) => {
    setBusy(true)
    setTold("")
    try {
      const rail = await data(client.GET("/api/rails/{identity}", { params: { path: { identity }, query: { revision } } }))
      const { cable_length, ripple_limit } = source
      await change((now) => ({ brief: { ...now.brief, sources: [{ ...rail, cable_length, ripple_limit }] } }))
    } catch (why) {
      setTold(why instanceof Refusal ? why.message : String(why))
    } finally {
      setBusy(false)
    }
  }
  const latest = origin.data?.revision
  const gone = of && (origin.error !== null || origin.data?.deleted)
  return (
    <Box borderBottom="1px solid" borderColor="faint" py="0.5" data-testid="rail-origin">
      <Flex align="center" gap="2" minH="30px">
        <Text flex="1" fontSize="sm">
          Values from
        </Text>
        <NativeSelect.Root size="xs" w="190px" disabled={busy}>
          <NativeSelect.Field
            value={of?.design ?? OWN}
            onChange={(e) => void (e.target.value === OWN ? free() : take(e.target.value))}
            aria-label="Values from"
            data-testid="rail-of"
          >
            <option value={OWN}>{OWN}</option>
            {of && !rails.data?.some((r) => r.id === of.design) && <option value={of.design}>{of.name}</option>}
            {rails.data?.map((r) => (
              <option key={r.id} value={r.id}>{`${r.name}, ${r.described}`}</option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>
      {of && (
        <Flex align="baseline" gap="3" pb="1.5" fontSize="sm" color="ink.soft" data-testid="rail-revision">
          <Text>
            revision{" "}
            {gone ? of.revision : <Revision of={of} latest={latest ?? of.revision} busy={busy} take={(n) => void take(of.design, n)} />}
            {` of ‘${of.name}’`}
            {gone
              ? ": that design is archived, its last values stay"
              : latest !== undefined && latest > of.revision && `: revision ${latest} is newer`}
          </Text>
          {!gone && latest !== undefined && latest > of.revision && (
            <Quiet onClick={() => void take(of.design)} textDecoration="underline" data-testid="take-newer">
              take it
            </Quiet>
          )}
        </Flex>
      )}
      {told && (
        <Text fontSize="sm" color="stop" pb="1.5" role="alert" data-testid="rail-refused">
          {told}
        </Text>
      )}
    </Box>
  )
}
