import "./book.css"

import { Box, Flex, Input, Text } from "@chakra-ui/react"
import { memo, useCallback, useState } from "react"

import type { RelationOut } from "../api/client"
import { useAsk, useBook } from "../api/hooks"
import { Fault, Page, Strong } from "../ui/Page"
import { Tex } from "../ui/Tex"

/** The equation book: every relation with its symbols, validity and source; any of them can be worked here. */
export function Book() {
  const book = useBook()
  const [wanted, setWanted] = useState("")
  const [open, setOpen] = useState<string>()
  const toggle = useCallback((key: string) => setOpen((now) => (now === key ? undefined : key)), [])
  const shown = book.data?.filter((r) => `${r.key} ${r.title} ${r.subject} ${r.holds}`.toLowerCase().includes(wanted.toLowerCase()))
  const subjects = [...new Set(shown?.map((r) => r.subject))]
  return (
    <Page title="Equation book">
      <Flex align="center" gap="4" mb="4">
        <Input
          size="sm"
          w="300px"
          placeholder="flux, bleeder, skin depth …"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          aria-label="find a relation"
        />
        <Text fontSize="sm" color="ink.soft">
          {shown?.length ?? 0} relations; leave one symbol empty and it is solved for
        </Text>
      </Flex>
      {book.error && <Fault>{book.error.message}</Fault>}
      {subjects.map((s) => (
        <Box key={s} mb="5">
          <Text as="h2" fontWeight="700" color="copper" mb="1">
            {s}
          </Text>
          <Box bg="sheet" border="1px solid" borderColor="hair">
            {shown
              ?.filter((r) => r.subject === s)
              .map((r) => (
                <Line key={r.key} relation={r} open={open === r.key} toggle={toggle} />
              ))}
          </Box>
        </Box>
      ))}
    </Page>
  )
}

/** A relation in the list. There are hundreds: one that has not changed is left as it stands, and is laid out once in sight. */
const Line = memo(({ relation: r, open, toggle }: { relation: RelationOut; open: boolean; toggle: (key: string) => void }) => (
  <div className="relation">
    <button type="button" onClick={() => toggle(r.key)} aria-expanded={open} data-testid={`relation-${r.key}`}>
      <span>{r.title}</span>
      <span>
        <Tex>{`\\displaystyle ${r.latex}`}</Tex>
      </span>
    </button>
    {open && <Worked relation={r} />}
  </div>
))
Line.displayName = "Line"

function Worked({ relation: r }: { relation: RelationOut }) {
  const [values, setValues] = useState<Record<string, string>>({})
  const { answer, refused, ask } = useAsk(r.key)
  const work = () => ask(Object.fromEntries(Object.entries(values).filter(([, v]) => v.trim() !== "")))
  return (
    <Box py="3">
      <Text fontSize="sm">
        <b>Holds:</b> {r.holds}.{" "}
        <Box as="span" color="ink.soft">
          Source: {r.source}.
        </Box>
      </Text>
      <Box as="table" fontSize="sm" my="2">
        <tbody>
          {r.symbols.map((s) => (
            <tr key={s.name}>
              <Box as="td" w="70px">
                <Tex>{s.latex}</Tex>
              </Box>
              <Box as="td" w="360px">
                {s.meaning}
              </Box>
              <Box as="td" w="150px">
                <Input
                  size="xs"
                  fontFamily="mono"
                  placeholder={s.unit || "number"}
                  value={values[s.name] ?? ""}
                  onChange={(e) => setValues({ ...values, [s.name]: e.target.value })}
                  onKeyDown={(e) => e.key === "Enter" && void work()}
                  aria-label={s.meaning}
                  data-testid={`symbol-${s.name}`}
                />
              </Box>
              <Box as="td" pl="3" color="ink.soft">
                {s.allowed}
              </Box>
            </tr>
          ))}
        </tbody>
      </Box>
      <Strong size="xs" onClick={() => void work()} data-testid="work">
        calculate
      </Strong>
      {refused && <Fault mt="2">{refused}</Fault>}
      {answer && (
        <Box mt="2">
          <Text fontFamily="mono" fontWeight="700" data-testid="worked">
            {answer.found} = {answer.text}
            {answer.others.length > 0 && ` (also ${answer.others.join(", ")})`}
          </Text>
          <Tex block>{answer.substituted}</Tex>
        </Box>
      )}
    </Box>
  )
}
