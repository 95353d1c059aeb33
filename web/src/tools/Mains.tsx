import { client, data } from "../api/client"
import { Tool, type Asked } from "./Tool"

const fields = () => data(client.GET("/api/mains/fields"))
const see = ({ fields: mains, pins }: Asked, signal?: AbortSignal) => data(client.POST("/api/mains", { signal, body: { mains, pins } }))

/** A rectifier on one-phase mains with its bank, for any load, with no design about it. */
export const Mains = () => (
  <Tool
    title="Rectifier on the mains"
    name="mains"
    fields={fields}
    see={see}
    danger="All of it is live mains, and its bank holds its charge. Unplug, wait, measure, then touch; no earthed probe on it."
  />
)
