import katex from "katex"
import { useMemo } from "react"

/** A typeset formula or symbol. */
export function Tex({ children, block = false }: { children: string; block?: boolean }) {
  const html = useMemo(
    () => katex.renderToString(children, { displayMode: block, throwOnError: false, strict: false, output: "html" }),
    [children, block],
  )
  return <span role="img" aria-label={children} dangerouslySetInnerHTML={{ __html: html }} />
}
