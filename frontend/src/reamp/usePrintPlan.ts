import { useQuery } from '@tanstack/react-query'
import { reportErrors, showThenPut } from '../api/acts'
import { type PrintPlan, type PrintSettings, answered, api } from '../api/client'
import { queryClient } from '../api/queries'

/** A dry source and a tone: the place of a print. */
export interface Cell {
  material_id: string
  tone_revision_id: string
}

export const sameCell = (one: Cell, other: Cell) =>
  one.material_id === other.material_id && one.tone_revision_id === other.tone_revision_id

const NOTHING: PrintPlan = {
  tones: [],
  marked: [],
  settings: { depth: '24', tail_s: 0, oversample: null, rate_hz: null },
}

/** What is marked for the next batch, and its settings; the server keeps it. */
export function usePrintPlan(sessionId: string) {
  const queryKey = ['print-plan', sessionId]
  const plan =
    useQuery({
      queryKey,
      queryFn: () =>
        answered(api.GET('/api/sessions/{session_id}/print-plan', { params: { path: { session_id: sessionId } } })),
    }).data ?? NOTHING

  function change(changes: (now: PrintPlan) => Partial<PrintPlan>) {
    // As it is now: what was drawn last may be a key press older.
    const now = queryClient.getQueryData<PrintPlan>(queryKey) ?? NOTHING
    const next = { ...now, ...changes(now) }
    void reportErrors(() =>
      showThenPut(queryKey, next, () =>
        answered(
          api.PUT('/api/sessions/{session_id}/print-plan', {
            params: { path: { session_id: sessionId } },
            body: next,
          }),
        ),
      ),
    )
  }

  return {
    plan,
    addTone: (id: string) => change(({ tones }) => ({ tones: [...tones.filter((each) => each !== id), id] })),
    set: (settings: Partial<PrintSettings>) => change((now) => ({ settings: { ...now.settings, ...settings } })),
    /** Mark all of these; where all of them are marked, unmark them. */
    toggle: (cells: Cell[]) =>
      change(({ marked }) => {
        const all = cells.every((cell) => marked.some((each) => sameCell(each, cell)))
        const others = marked.filter((each) => !cells.some((cell) => sameCell(each, cell)))
        return { marked: all ? others : [...others, ...cells] }
      }),
    unmark: (cells: Cell[]) =>
      change(({ marked }) => ({ marked: marked.filter((each) => !cells.some((cell) => sameCell(each, cell))) })),
  }
}
