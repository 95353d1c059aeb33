import { Text } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { Link } from "react-router"

import { client, data } from "../api/client"

/** The designs that take a part, as they stand. */
export function Uses({ kind, part }: { kind: string; part: string }) {
  const uses = useQuery({
    queryKey: ["uses", kind, part],
    staleTime: 0,
    queryFn: ({ signal }) => data(client.GET("/api/shelf/{kind}/uses", { signal, params: { path: { kind }, query: { part } } })),
  })
  if (uses.error) return null
  const found = uses.data ?? []
  return (
    <Text fontSize="sm" mt="1" minH="20px" data-testid="used-in" data-ready={uses.data !== undefined}>
      {!uses.data && "looking through the designs …"}
      {uses.data && found.length === 0 && "Used in none of the designs."}
      {found.length > 0 && "Used in "}
      {found.map((use, i) => (
        <span key={use.id}>
          {i > 0 && "; "}
          <Link to={`/design/${use.id}`}>
            <u>{use.name}</u>
          </Link>
          {use.count > 0 && `, ${use.count} in ${use.blocks.join(", ").toLowerCase()}`}
          {use.pinned && (use.count > 0 ? ", pinned" : ", pinned for another route")}
        </span>
      ))}
    </Text>
  )
}
