import type { Bench, BenchBlock, Control, KnownResponse } from '../../api/client'
import { queryClient } from '../../api/queries'
import { useAddress } from '../../shell/useAddress'
import { turned } from './TurnRule'
import { benchQuery } from './queries'
import { same } from './turning'
import type { useBenchActs } from './useBenchActs'

const at = (bench: Bench, shown: URLSearchParams) => {
  const place = shown.get('block')
  const found = bench.blocks.findIndex((block) => block.place.join('.') === place)
  // One that was removed leaves the choice with what stands at the end.
  return found >= 0 ? found : place === null ? 0 : bench.blocks.length - 1
}

/** Which block and value of the bench are chosen, kept in the address, and what is done to blocks. */
export function useStripActs(bench: Bench, edit: ReturnType<typeof useBenchActs>['edit']) {
  const { shown, show } = useAddress()
  const chosen = at(bench, shown)
  const control = Number(shown.get('value') ?? 0)

  /** What is chosen and lies there now: what was drawn last may be a key press older. */
  function now() {
    const address = new URLSearchParams(window.location.search)
    const there = queryClient.getQueryData<Bench>(benchQuery(bench.part_id).queryKey) ?? bench
    const index = at(there, address)
    const block = there.blocks[index]!
    const controls = block.groups.flatMap((group) => group.controls)
    return { there, index, block, controls, value: Number(address.get('value') ?? 0) }
  }
  function choose(place: number[], value?: number) {
    const stays = same(place, now().block.place)
    show({ block: place.join('.'), ...(value !== undefined ? { value: String(value) } : stays ? {} : { value: null }) })
  }

  const turn = (block: BenchBlock, of: Control, value: number | boolean | string) =>
    void edit({ do: 'set', block: block.place, kind: block.kind, path: of.path, value })
  function move(block: BenchBlock, by: number) {
    const to = by > 0 ? block.forward : block.back
    if (!to) return
    void edit({ do: 'move', block: block.place, to })
    choose(to)
  }
  const of = (block: BenchBlock) => ({
    turn: (each: Control, value: number | boolean | string) => turn(block, each, value),
    bypass: () => void edit({ do: 'bypass', block: block.place, bypassed: !block.bypassed }),
    move: (by: number) => move(block, by),
    copy: () => void edit({ do: 'copy', block: block.place }),
    remove: () => void edit({ do: 'remove', block: block.place }),
    addRow: (field: string) => void edit({ do: 'add_row', block: block.place, field }),
    removeRow: (field: string, row: number) => void edit({ do: 'remove_row', block: block.place, field, row }),
    setResponse: ({ sha256, name }: KnownResponse) =>
      void edit({ do: 'response', block: block.place, file: { sha256, name } }),
  })

  function turnChosen(steps: number) {
    const { block, controls, value } = now()
    const each = controls[value]
    if (!each || each.shape === 'file') return
    if (each.shape === 'number') turn(block, each, turned(each, steps))
    else if (each.shape === 'switch') turn(block, each, !each.value)
    else {
      const next = each.choices.indexOf(String(each.value)) + Math.sign(steps)
      turn(block, each, each.choices[(next + each.choices.length) % each.choices.length]!)
    }
  }
  function goTo(by: number) {
    const { there, index } = now()
    choose(there.blocks[Math.min(there.blocks.length - 1, Math.max(0, index + by))]!.place)
  }
  function goToValue(by: number) {
    const { block, controls, value } = now()
    choose(block.place, Math.min(controls.length - 1, Math.max(0, value + by)))
  }
  /** Where a block comes to lie that is added behind the chosen one: of a split, at the beginning of its first path. */
  function behind() {
    const { block } = now()
    return block.kind === 'split' ? [...block.place, 0, 0] : [...block.place.slice(0, -1), block.place.at(-1)! + 1]
  }

  return { chosen, control, now, choose, of, turnChosen, goTo, goToValue, behind }
}

export type StripActs = ReturnType<typeof useStripActs>
export type BlockActs = ReturnType<StripActs['of']>
