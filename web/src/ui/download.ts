/** How long the browser may take to begin: on a busy machine a link that is withdrawn at once is a file that never comes. */
const BEGINS = 60_000

/** Give a person a file to keep. */
export function download(content: Blob, name: string) {
  const link = document.createElement("a")
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), BEGINS)
}
