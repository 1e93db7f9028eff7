/** The note that was gone to; its pin is the thread's colour. */
export interface NotesSlice {
  note: number | null;
}

export const notesSlice: NotesSlice = { note: null };
