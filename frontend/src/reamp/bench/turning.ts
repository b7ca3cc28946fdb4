import { type Bench, type ToneEdit, answered, api } from '../../api/client'
import { reportErrors } from '../../api/acts'
import { queryClient } from '../../api/queries'
import { benchQuery } from './queries'

type SetValue = Extract<ToneEdit, { do: 'set' }>

/**
 * Sends what is turned, one after the other: of several turns of one value that wait only the last is sent, so that a hand
 * that drags is never ahead of the sound by more than one answer.
 */
export class Turning {
  private waiting: ToneEdit[] = []
  private busy = false

  constructor(private readonly partId: string) {}

  /** Whether something is on its way; what the server answers meanwhile is older than the hand. */
  get goesOn() {
    return this.busy
  }

  do(edit: ToneEdit): Promise<void> {
    if (edit.do === 'set') {
      this.waiting = this.waiting.filter((other) => other.do !== 'set' || !sameValue(other, edit))
      this.show(edit)
    }
    this.waiting.push(edit)
    if (this.busy) return Promise.resolve()
    return reportErrors(() => this.sendAll())
  }

  /** What is turned stands there at once. */
  private show(edit: SetValue) {
    const { queryKey } = benchQuery(this.partId)
    void queryClient.cancelQueries({ queryKey })
    queryClient.setQueryData<Bench>(queryKey, (bench) => bench && withValue(bench, edit))
  }

  private async sendAll() {
    const { queryKey } = benchQuery(this.partId)
    this.busy = true
    try {
      for (let edit = this.waiting.shift(); edit; edit = this.waiting.shift()) {
        const revision = queryClient.getQueryData<Bench>(queryKey)?.revision
        const bench = await answered(
          api.POST('/api/parts/{part_id}/bench/edits', {
            params: { path: { part_id: this.partId }, header: edit.do === 'set' ? {} : { 'If-Match': revision } },
            body: edit,
          }),
        )
        const ahead = this.waiting.filter((each): each is SetValue => each.do === 'set')
        queryClient.setQueryData<Bench>(queryKey, ahead.reduce(withValue, bench))
      }
    } catch (error) {
      this.waiting = []
      void queryClient.invalidateQueries({ queryKey })
      throw error
    } finally {
      this.busy = false
      void queryClient.invalidateQueries({ queryKey: ['history'] })
    }
  }
}

/** Places and paths are short lists of numbers and words. */
export const same = (one: readonly unknown[], other: readonly unknown[]) =>
  JSON.stringify(one) === JSON.stringify(other)

const sameValue = (one: SetValue, other: SetValue) => same(one.block, other.block) && same(one.path, other.path)

export function withValue(bench: Bench, edit: SetValue): Bench {
  return {
    ...bench,
    blocks: bench.blocks.map((block) =>
      !same(block.place, edit.block)
        ? block
        : {
            ...block,
            groups: block.groups.map((group) => ({
              ...group,
              controls: group.controls.map((control) =>
                same(control.path, edit.path) ? { ...control, value: edit.value } : control,
              ),
            })),
          },
    ),
  }
}
