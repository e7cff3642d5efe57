/** Where a file stands in the folder that was chosen, or its name alone. */
function pathOf(file: File): string {
  return file.webkitRelativePath || file.name
}

/** Files that a person did not mean: those that a system hides. */
function hidden(path: string): boolean {
  return path.split('/').some((part) => part.startsWith('.') || part === '__MACOSX')
}

/**
 * Documents as one file to be sent: a first line that lists them, then each as it is.
 * Nothing of them is read here. Null where none is left.
 */
export function packed(files: File[]): File | null {
  const meant = files
    .filter((f) => !hidden(pathOf(f)))
    .sort((a, b) => pathOf(a).localeCompare(pathOf(b), 'en', { numeric: true }))
  if (meant.length === 0) return null
  const list = JSON.stringify(meant.map((f) => [pathOf(f), f.size]))
  const folder = pathOf(meant[0] as File)
    .split('/')
    .slice(0, -1)[0]
  const name =
    folder ?? (meant.length === 1 ? (meant[0] as File).name : `${meant.length} documents`)
  return new File([`${list}\n`, ...meant], `${name}.documents`)
}
