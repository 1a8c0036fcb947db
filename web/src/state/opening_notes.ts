const left = new Map<string, string>();

/** What there is to say about a project that was just made, until it is open. */
export function leaveNotes(project: string, notes: string): void {
  left.set(project, notes);
}

export function takeNotes(project: string): string | undefined {
  const notes = left.get(project);
  left.delete(project);
  return notes;
}
