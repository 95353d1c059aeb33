/** Give a person a file to keep. */
export function download(content: Blob, name: string) {
  const link = document.createElement("a")
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
