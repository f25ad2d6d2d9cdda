/** All files that were dropped, those in folders too, in the order of their names; and the folder's, if it was one. */
export async function filesIn(transfer: DataTransfer): Promise<{ files: File[]; folder: string | null }> {
  // Entries are gone once the event is over: they are taken before anything is waited for.
  const entries = [...transfer.items]
    .map((item) => item.webkitGetAsEntry())
    .filter((entry) => entry !== null);
  if (!entries.length) return { files: [...transfer.files], folder: null };
  const files = (await Promise.all(entries.map(filesOf))).flat();
  files.sort((one, other) => one.name.localeCompare(other.name, undefined, { numeric: true }));
  const [first] = entries;
  return { files, folder: entries.length === 1 && first?.isDirectory ? first.name : null };
}

async function filesOf(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) =>
      (entry as FileSystemFileEntry).file(resolve, reject),
    );
    return [file];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  for (;;) {
    // A reader gives a hundred at a time, and in the end none.
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (!some.length) return found;
    found.push(...(await Promise.all(some.map(filesOf))).flat());
  }
}
