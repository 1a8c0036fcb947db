import { isModelFile, setPath } from "../api/files";
import { sayOfLast } from "./notices";

/** Do something with the files that were dropped; folders are looked through for what could be of use. */
export function takeDropped({ items, files }: DataTransfer, take: (files: File[]) => unknown): void {
  // Both are empty once the event is over.
  const [entries, plain] = [[...items].map((item) => item.webkitGetAsEntry()), [...files]];
  if (entries.some((entry) => entry?.isDirectory)) void takeFolders(entries, take);
  else if (plain.length) take(plain);
}

async function takeFolders(entries: (FileSystemEntry | null)[], take: (files: File[]) => unknown): Promise<void> {
  try {
    const files = (await Promise.all(entries.map((entry) => (entry ? filesIn(entry) : [])))).flat();
    if (files.length) take(files);
    else sayOfLast("Nothing in that folder is a model or a picture.");
  } catch {
    sayOfLast("That folder cannot be read.");
  }
}

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (!entry.isDirectory) return [await fileOf(entry as FileSystemFileEntry)];
  const entries = (await entriesOf(entry as FileSystemDirectoryEntry)).filter(isUseful);
  return (await Promise.all(entries.map(filesIn))).flat();
}

async function fileOf(entry: FileSystemFileEntry): Promise<File> {
  const file = await new Promise<File>((resolve, reject) => entry.file(resolve, reject));
  setPath(file, entry.fullPath);
  return file;
}

async function entriesOf(folder: FileSystemDirectoryEntry): Promise<FileSystemEntry[]> {
  const reader = folder.createReader();
  const found: FileSystemEntry[] = [];
  // It tells of some at a time, and of none in the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return found;
    found.push(...some);
  }
}

const isUseful = ({ isDirectory, name }: FileSystemEntry): boolean => !name.startsWith(".") && (isDirectory || isModelFile(name));
