import { useCallback, useEffect, useMemo } from 'react'
import { reportErrors } from '../../api/acts'
import { type Bench, answered, api } from '../../api/client'
import { useLive } from '../../api/live'
import { queryClient } from '../../api/queries'
import { useChoice } from '../../desk/Choice'
import { Ears } from '../../sound/ears'
import { benchQuery } from './queries'

/** The bench sounds: its loop goes round in the engine, and what is heard of it comes to this page's ears. */
export function useBenchSound(bench: Bench) {
  const { player, playhead } = useChoice()
  const partId = bench.part_id
  const params = useMemo(() => ({ path: { part_id: partId } }), [partId])
  const ears = useMemo(() => new Ears(player.rateHz, () => player.audio()), [player])
  const sounds = useLive((live) => live.benching?.bench_id === partId)
  const elsewhere = useLive((live) => live.benching !== null && live.benching.bench_id !== partId)

  // What goes round is left with the page that shows it, and heard again where it still goes round.
  useEffect(() => () => ears.close(), [ears])
  useEffect(() => {
    if (sounds) void reportErrors(() => ears.open(partId))
    else ears.close()
  }, [ears, sounds, partId])
  useEffect(
    () => () => void reportErrors(() => answered(api.DELETE('/api/parts/{part_id}/bench/sounding', { params }))),
    [params],
  )

  const play = useCallback(
    () =>
      reportErrors(async () => {
        player.stop()
        await ears.open(partId)
        await answered(
          api.POST('/api/parts/{part_id}/bench/sounding', { params, body: { from_frame: Math.round(playhead()) } }),
        )
      }),
    [player, ears, partId, params, playhead],
  )
  const stop = useCallback(
    () => reportErrors(() => answered(api.DELETE('/api/parts/{part_id}/bench/sounding', { params }))),
    [params],
  )
  const playOrStop = useCallback(() => void (sounds ? stop() : play()), [sounds, stop, play])

  const hear = useCallback(
    (key: string) => {
      const { queryKey } = benchQuery(partId)
      queryClient.setQueryData<Bench>(queryKey, (shown) => shown && { ...shown, heard: key })
      return reportErrors(() => answered(api.PUT('/api/parts/{part_id}/bench/heard', { params, body: { key } })))
    },
    [partId, params],
  )
  return { sounds, elsewhere, playOrStop, play, stop, hear }
}
