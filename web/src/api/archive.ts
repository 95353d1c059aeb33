import { client, data } from "./client"

/** Everything in one archive. */
export const archive = () => data<Blob>(client.GET("/api/archive", { parseAs: "blob" }))

/** Take what an archive holds and is not here. */
export const restore = (file: Blob) =>
  data(client.POST("/api/archive", { body: "", bodySerializer: () => file, headers: { "Content-Type": "application/zip" } }))

type Restored = Awaited<ReturnType<typeof restore>>

const PARTS: [keyof Restored, string][] = [
  ["new", "designs taken"],
  ["grown", "went on"],
  ["same", "were here already"],
  ["copied", "came as copies, for they went another way here"],
  ["parts", "parts of your own"],
]

/** What came of a restored archive, in words. */
export const restored = (found: Restored) =>
  `Restored: ${PARTS.filter(([name]) => found[name] || name === "new")
    .map(([name, words]) => `${found[name]} ${words}`)
    .join(", ")}.`
