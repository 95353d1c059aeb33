import { useState } from "react"

import { client, data } from "../api/client"
import { download } from "../ui/download"
import { Fault, Plain } from "../ui/Page"
import { Tool, type Asked } from "./Tool"

const body = ({ fields, pins }: Asked) => ({ bus: fields, pins })
const fields = () => data(client.GET("/api/bus/fields"))
const see = (asked: Asked, signal?: AbortSignal) => data(client.POST("/api/bus", { signal, body: body(asked) }))

/** The precharge of any bus from 12 to 1000 V, with no design about it. */
export const Bus = () => (
  <Tool
    title="Precharge of a bus"
    name="bus"
    fields={fields}
    see={see}
    danger="A charged bus kills. Bleed it, wait, measure, then touch."
    offers={(asked) => <Files asked={asked} />}
  />
)

/** Its sequence, as a table and as code. */
function Files({ asked }: { asked: Asked }) {
  const [fault, setFault] = useState<string>()
  const file = (ending: "csv" | "c") =>
    data(client.POST("/api/bus/{ending}", { params: { path: { ending } }, body: body(asked), parseAs: "blob" })).then(
      (got) => (setFault(undefined), download(got, `precharge.${ending}`)),
      (why: Error) => setFault(why.message),
    )
  return (
    <>
      <Plain size="xs" onClick={() => void file("csv")} data-testid="bus-csv">
        state table, CSV
      </Plain>
      <Plain size="xs" onClick={() => void file("c")} data-testid="bus-c">
        portable C
      </Plain>
      {fault && <Fault>{fault}</Fault>}
    </>
  )
}
