import { QueryClient, queryOptions, useQuery } from '@tanstack/react-query'
import { loadWave } from '../wave/loadWave'
import { type BlindTest, type Trial, answered, api, onChange, onChangedElsewhere } from './client'

export const queryClient = new QueryClient({
  defaultOptions: { queries: { retry: 2, staleTime: 30_000, refetchOnWindowFocus: false } },
})

const CHOSEN_KEY = 'fatsignal.session'

/** Open another session from here on; the choice is remembered. */
export async function openSession(id: string) {
  localStorage.setItem(CHOSEN_KEY, id)
  await queryClient.fetchQuery({ ...OPENING, staleTime: 0 })
}

/** The chosen session, else the newest, with all that Takes shows of it; its answers are laid where others look. */
const OPENING = queryOptions({
  queryKey: ['opening'],
  staleTime: Infinity,
  queryFn: async () => {
    const { session, sheet, takes, prints } = await answered(
      api.GET('/api/opening', { params: { query: { session_id: localStorage.getItem(CHOSEN_KEY) } } }),
    )
    if (!session) return null
    queryClient.setQueryData(['session', session.id], session)
    queryClient.setQueryData(['takes', session.id], takes)
    queryClient.setQueryData(['prints', session.id], prints)
    if (sheet) {
      queryClient.setQueryData(['sheet', session.id, sheet.part_id], sheet)
      const onSheet = sheet.lines.flatMap((line) => line.bars.flatMap((bar) => bar.take_id ?? []))
      for (const id of new Set([...onSheet, ...takes.slice(0, FIRST_ROWS).map((take) => take.id)])) fetchWave(id)
    }
    return session.id
  },
})

// Rows of takes that a window shows without scrolling.
const FIRST_ROWS = 12

/** Ask for the opening before there is a page to show it in. */
export function beginOpening() {
  void queryClient.prefetchQuery(OPENING)
}

export function useOpening() {
  return useQuery(OPENING)
}

function fetchWave(id: string) {
  void queryClient.prefetchQuery(waveQuery(id))
}

export function useWave(id: string) {
  return useQuery(waveQuery(id))
}

function waveQuery(id: string) {
  return queryOptions({ queryKey: ['wave', id], staleTime: Infinity, gcTime: Infinity, queryFn: () => loadWave(id) })
}

export function useSession(sessionId: string | undefined) {
  return useQuery({
    queryKey: ['session', sessionId],
    enabled: sessionId !== undefined,
    queryFn: () => answered(api.GET('/api/sessions/{session_id}', { params: { path: { session_id: sessionId! } } })),
  })
}

export function useSheet(sessionId: string, partId: string | undefined) {
  return useQuery({
    queryKey: ['sheet', sessionId, partId],
    enabled: partId !== undefined,
    placeholderData: (previous) => previous,
    queryFn: () =>
      answered(
        api.GET('/api/sessions/{session_id}/sheet', {
          params: { path: { session_id: sessionId }, query: { part_id: partId! } },
        }),
      ),
  })
}

export function useTakes(sessionId: string) {
  return useQuery({
    queryKey: ['takes', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/takes', { params: { path: { session_id: sessionId } } })),
  })
}

export function useTones() {
  return useQuery({ queryKey: ['tones'], queryFn: () => answered(api.GET('/api/tones')) })
}

export function useStrip(revisionId: string | undefined) {
  return useQuery({
    queryKey: ['strip', revisionId],
    enabled: revisionId !== undefined,
    staleTime: Infinity,
    queryFn: () =>
      answered(api.GET('/api/tones/{revision_id}/strip', { params: { path: { revision_id: revisionId! } } })),
  })
}

export function usePrints(sessionId: string) {
  return useQuery({
    queryKey: ['prints', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/prints', { params: { path: { session_id: sessionId } } })),
  })
}

/** What is left of all batches; asked again as long as something is. */
export function usePrinting(sessionId: string, busy: boolean) {
  return useQuery({
    queryKey: ['printing', sessionId],
    enabled: busy,
    refetchInterval: busy ? 1500 : false,
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/printing', { params: { path: { session_id: sessionId } } })),
  })
}

/** The comps that can go through tones. */
export function usePrintSources(sessionId: string) {
  return useQuery({
    queryKey: ['print-sources', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/print-sources', { params: { path: { session_id: sessionId } } })),
  })
}

/** The parts that are heard by prints. */
export function useHeardThrough(sessionId: string) {
  return useQuery({
    queryKey: ['heard-through', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/heard-through', { params: { path: { session_id: sessionId } } })),
  })
}

export function useComparison(takeId: string | undefined) {
  return useQuery({
    queryKey: ['comparison', takeId],
    enabled: takeId !== undefined,
    queryFn: () => answered(api.GET('/api/takes/{take_id}/comparison', { params: { path: { take_id: takeId! } } })),
  })
}

export function useHandOverItems(sessionId: string) {
  return useQuery({
    queryKey: ['hand-over', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/hand-over', { params: { path: { session_id: sessionId } } })),
  })
}

export function useParcels(sessionId: string) {
  return useQuery({
    queryKey: ['parcels', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/parcels', { params: { path: { session_id: sessionId } } })),
  })
}

/** After a take came or went, everything that counts takes is asked for again. */
export function refreshTakes() {
  for (const key of [
    'takes',
    'sheet',
    'comp',
    'judged',
    'marks',
    'hand-over',
    'comparison',
    'prints',
    'print-sources',
    'print-plan',
    'heard-through',
    'history',
    'bin',
    'waiting',
    'parcels',
  ])
    void queryClient.invalidateQueries({ queryKey: [key] })
}

// Whatever is done can be undone, and may sound otherwise.
onChange(() => {
  for (const key of ['history', 'playing']) void queryClient.invalidateQueries({ queryKey: [key] })
})
onChangedElsewhere(() => refreshAllSoon())

// What never changes once it is known, and what is only asked for once.
const LASTING = new Set(['wave', 'strip', 'opening'])
const SOON_MS = 120
let refreshing: number | undefined

/** Another page changed something: what is shown here is asked for again, once for several changes in a row. */
export function refreshAllSoon() {
  window.clearTimeout(refreshing)
  refreshing = window.setTimeout(
    () => void queryClient.invalidateQueries({ predicate: ({ queryKey }) => !LASTING.has(String(queryKey[0])) }),
    SOON_MS,
  )
}

/** What was done here, on this page: what is seen of it is asked for at once, all else soon. */
export function refreshSeen() {
  void queryClient.invalidateQueries({
    predicate: ({ queryKey: [what, ...of] }) =>
      (what === 'comp' && of.length === 1) || what === 'sheet' || what === 'bench',
  })
  refreshAllSoon()
}

export function refreshPrints() {
  for (const key of ['prints', 'printing', 'print-sources', 'heard-through', 'hand-over', 'comparison', 'comp-made'])
    void queryClient.invalidateQueries({ queryKey: [key] })
}

export function useSessions() {
  return useQuery({ queryKey: ['sessions'], queryFn: () => answered(api.GET('/api/sessions')) })
}

export function useBackings(sessionId: string) {
  return useQuery({
    queryKey: ['backings', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/backings', { params: { path: { session_id: sessionId } } })),
  })
}

/** What a rig can be made of; it never changes while the program runs. */
export function useChoices() {
  return useQuery({ queryKey: ['choices'], staleTime: Infinity, queryFn: () => answered(api.GET('/api/rig-choices')) })
}

export function useRig(partId: string | undefined) {
  return useQuery({
    queryKey: ['rig', partId],
    enabled: partId !== undefined,
    placeholderData: (previous) => previous,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/rig', { params: { path: { part_id: partId! } } })),
  })
}

export function useChecks(partId: string | undefined) {
  return useQuery({
    queryKey: ['checks', partId],
    enabled: partId !== undefined,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/checks', { params: { path: { part_id: partId! } } })),
  })
}

export function useInterface(sessionId: string) {
  return useQuery({
    queryKey: ['interface', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/interface', { params: { path: { session_id: sessionId } } })),
  })
}

export function useKits(words: string) {
  return useQuery({
    queryKey: ['kits', words],
    placeholderData: (previous) => previous,
    queryFn: () => answered(api.GET('/api/kits', { params: { query: { words } } })),
  })
}

export function useRigSheets(sessionId: string) {
  return useQuery({
    queryKey: ['rig-sheets', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/rig-sheets', { params: { path: { session_id: sessionId } } })),
  })
}

export function useRollSettings(sessionId: string) {
  return useQuery({
    queryKey: ['roll-settings', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/roll/settings', { params: { path: { session_id: sessionId } } })),
  })
}

/** What is found in the takes of a section; the answer belongs to the takes as they are now. */
export function useJudged(partId: string | undefined, sectionId: string | undefined) {
  return useQuery({
    queryKey: ['judged', partId, sectionId],
    enabled: partId !== undefined && sectionId !== undefined,
    placeholderData: (previous) => (previous?.section_id === sectionId ? previous : undefined),
    queryFn: () =>
      answered(
        api.GET('/api/parts/{part_id}/judged/{section_id}', {
          params: { path: { part_id: partId!, section_id: sectionId! } },
        }),
      ),
  })
}

/** Notes of a part that went out of tune from take to take; asked for when all takes were heard out anyway. */
export function useTuningDrift(partId: string | undefined, takes: number, ready: boolean) {
  return useQuery({
    queryKey: ['judged', partId, 'tuning-drift', takes],
    enabled: partId !== undefined && ready,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/tuning-drift', { params: { path: { part_id: partId! } } })),
  })
}

/** What undo and redo would do. */
export function useHistoryOf(sessionId: string) {
  return useQuery({
    queryKey: ['history', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/history', { params: { path: { session_id: sessionId } } })),
  })
}

export function useBin(sessionId: string) {
  return useQuery({
    queryKey: ['bin', sessionId],
    queryFn: () => answered(api.GET('/api/sessions/{session_id}/bin', { params: { path: { session_id: sessionId } } })),
  })
}

/** A part's trial clips, the newest first, and how they are recorded. */
export function usePlacement(partId: string | undefined) {
  return useQuery({
    queryKey: ['placement', partId],
    enabled: partId !== undefined,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/placement', { params: { path: { part_id: partId! } } })),
  })
}

const AWAY_MS = 3_000

/** Clips beside each other, as they sound together or one channel of each; asked anew when a blend of one changes. */
export function useComparedTrials(trials: Pick<Trial, 'id' | 'revision'>[], of: string | null) {
  return useQuery({
    queryKey: ['compared-trials', trials.map(({ id, revision }) => `${id} ${revision}`), of],
    enabled: trials.length > 0,
    staleTime: Infinity,
    // A file that is away may come back.
    refetchInterval: ({ state }) => (state.data?.missing.length ? AWAY_MS : false),
    placeholderData: (previous) => previous,
    queryFn: () =>
      answered(api.GET('/api/trials/compared', { params: { query: { id: trials.map(({ id }) => id), of } } })),
  })
}

/** What a clip's placement does differently from another's, the DI as the ruler. */
export function useRuled(trialId: string | undefined, otherId: string | undefined, of: string | null) {
  return useQuery({
    queryKey: ['ruled', trialId, otherId, of],
    enabled: trialId !== undefined && otherId !== undefined && trialId !== otherId,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      answered(
        api.GET('/api/trials/{trial_id}/against/{other_id}', {
          params: { path: { trial_id: trialId!, other_id: otherId! }, query: { of } },
        }),
      ),
  })
}

/** The parts whose placement is chosen, beside each other and together. */
export function useAcross(sessionId: string | undefined) {
  return useQuery({
    queryKey: ['across', sessionId],
    enabled: sessionId !== undefined,
    queryFn: () =>
      answered(
        api.GET('/api/sessions/{session_id}/placement/across', { params: { path: { session_id: sessionId! } } }),
      ),
  })
}

export function useSetUps() {
  return useQuery({
    queryKey: ['stereo-set-ups'],
    staleTime: Infinity,
    queryFn: () => answered(api.GET('/api/stereo-set-ups')),
  })
}

export function useBlindTest(partId: string, kind: BlindTest['kind']) {
  return useQuery({
    queryKey: ['blind-test', partId, kind],
    queryFn: () =>
      answered(
        api.GET('/api/parts/{part_id}/blind-tests/newest', { params: { path: { part_id: partId }, query: { kind } } }),
      ),
  })
}

export function refreshPlacement() {
  for (const key of ['placement', 'across', 'history', 'bin']) void queryClient.invalidateQueries({ queryKey: [key] })
}

/** Takes that are on disk and not entered yet; asked for again now and then. */
export function useWaitingTakes() {
  return useQuery({
    queryKey: ['waiting'],
    refetchInterval: 30_000,
    queryFn: () => answered(api.GET('/api/takes/waiting')),
  })
}

/** Room on the disk; asked for again now and then. */
export function useSpace(sessionId: string) {
  return useQuery({
    queryKey: ['space', sessionId],
    refetchInterval: 20_000,
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/roll/space', { params: { path: { session_id: sessionId } } })),
  })
}

export const cuesQuery = (sessionId: string) =>
  queryOptions({
    queryKey: ['cues', sessionId],
    queryFn: () =>
      answered(api.GET('/api/sessions/{session_id}/cues', { params: { path: { session_id: sessionId } } })),
  })

export const useCues = (sessionId: string) => useQuery(cuesQuery(sessionId))

export function useMonitoring(partId: string | undefined) {
  return useQuery({
    queryKey: ['monitoring', partId],
    enabled: partId !== undefined,
    placeholderData: (previous) => previous,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/monitoring', { params: { path: { part_id: partId! } } })),
  })
}

/** After the song changed: itself, and what is measured along its bars. */
export function refreshSong() {
  void queryClient.invalidateQueries({ queryKey: ['session'] })
  refreshAlongBars()
}

/** What is measured along the song's bars, where the song itself is known already. */
export function refreshAlongBars() {
  void queryClient.invalidateQueries({ queryKey: ['backings'] })
  refreshTakes()
}

export function refreshRig() {
  for (const key of ['rig', 'checks', 'interface', 'session', 'monitoring', 'space'])
    void queryClient.invalidateQueries({ queryKey: [key] })
}
