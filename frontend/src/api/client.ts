import createClient from 'openapi-fetch'
import { newId } from './newId'
import type { components, paths } from './schema'

/** By this the server knows which page changed something: it is told of no change of its own. */
export const PAGE = newId()

export const api = createClient<paths>({ baseUrl: window.location.origin, headers: { 'X-Page': PAGE } })

let changed = () => {}

/** What follows every change that this page makes: what undo would do is another then. */
export function onChange(does: () => void) {
  changed = does
}

api.use({
  onResponse({ request, response }) {
    if (request.method !== 'GET' && response.ok) changed()
  },
})

type Schemas = components['schemas']
export type Session = Schemas['SessionView']
export type Part = Schemas['PartView']
export type Section = Schemas['SectionView']
export type Sheet = Schemas['SheetView']
export type Phrase = Schemas['PhraseView']
export type SheetLine = Schemas['SheetLineView']
export type Take = Schemas['TakeView']
export type TakeChannel = Schemas['TakeChannelView']
export type Tone = Schemas['ToneView']
export type FoundTones = Schemas['FoundTones']
export type FoundTone = Schemas['FoundTone']
export type Print = Schemas['PrintView']
export type PrintPlan = Schemas['PrintPlan']
export type PrintSettings = PrintPlan['settings']
export type PrintSource = Schemas['SourceView']
export type Parcel = Schemas['ParcelView']
export type Sound = Schemas['SoundView']
export type StreamedSound = Pick<Sound, 'sound_url' | 'from_frame' | 'frames'>
export type Comparison = Schemas['ComparisonView']
export type Curve = Schemas['CurveView']
export type Bench = Schemas['BenchView']
export type BenchBlock = Schemas['BlockView']
export type Control = Schemas['ControlView']
export type LaneEnd = Schemas['LaneEnd']
export type KnownResponse = Schemas['ImpulseResponseView']
export type BlockKind = Schemas['KindView']
export type MeasuredBench = Schemas['MeasuredView']
export type ToneEdit = NonNullable<
  import('./schema').paths['/api/parts/{part_id}/bench/edits']['post']['requestBody']
>['content']['application/json']
export type HandOverItem = Schemas['HandOverItem']
export type NewSession = Schemas['NewSession']
export type Click = Schemas['ClickSettings']
export type Backing = Schemas['BackingView']
export type Tap = Schemas['TapView']
export type MidiProposal = Schemas['MidiProposal']
export type Choices = Schemas['ChoicesView']
export type RigView = Schemas['RigView']
export type Rig = Schemas['RigSetup']
export type InputUse = Schemas['InputUse']
export type Check = Schemas['CheckView']
export type Chords = Schemas['ChordsView']
export type Interface = Schemas['InterfaceView']
export type InterfaceSettings = Schemas['SimulatedInterface']
export type RollSettings = Schemas['RollSettings']
export type Cues = Schemas['CuesView']
export type Cue = Schemas['CueView']
export type CueMix = Schemas['CueMix']
export type Strip = Schemas['Strip']
export type Monitoring = Schemas['Monitoring']
export type MonitoringView = Schemas['MonitoringView']
export type Judged = Schemas['JudgedView']
export type JudgedTake = Schemas['JudgedTakeView']
export type Cell = Schemas['CellView']
export type ComparedTakes = Schemas['ComparedTakes']
export type Finding = Schemas['FindingView']
export type History = Schemas['HistoryView']
export type Bin = Schemas['BinView']
export type BinnedTake = Schemas['BinnedTake']
export type Placement = Schemas['PlacementView']
export type Trial = Schemas['TrialView']
export type TrialReport = Schemas['TrialReportView']
export type ComparedTrials = Schemas['ComparedTrials']
export type Pair = Schemas['PairView']
export type Remedy = Schemas['RemedyView']
export type SumOf = Schemas['SumView']
export type AllInTime = Schemas['AllInTimeView']
export type MicBlend = Schemas['MicBlend']
export type Plan = Schemas['PlanView']
export type MicOnRig = Schemas['MicOnRig']
export type Across = Schemas['AcrossView']
export type BlindTest = Schemas['BlindTestView']
export type Gathering = Schemas['GatheringView']
export type Comp = Schemas['CompView']
export type Marks = Schemas['MarksView']
export type JoinCloseUp = Schemas['JoinCloseUp']
export type CompMade = Schemas['CompMadeView']
export type PieceLevel = Schemas['PieceLevelView']
export type CompLine = Schemas['CompLineView']
export type CompJoin = Schemas['JoinView']
export type CompPiece = Schemas['PieceView']
export type SignalKind = TakeChannel['kind']

/** The server asks before it does something: the same request with consent does it. */
export class AsksFirst extends Error {}

/** Another page was quicker: nothing was overwritten, and what there is now has to be shown. */
export class ChangedElsewhere extends Error {}

let changedElsewhere = () => {}

/** What is done when another page was quicker: all that is shown is asked for again. */
export function onChangedElsewhere(does: () => void) {
  changedElsewhere = does
}

/** The header by which a change says what it was made from. */
export const madeFrom = (revision: string | undefined) => (revision ? { 'If-Match': revision } : {})

/** What a request gave, or an error with the sentence that the server wrote for a person. */
export async function answered<T>(request: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await request
  } catch {
    throw new Error('Fat Signal is not reached: is it still running?')
  }
  if (!result.response.ok) {
    const detail = (result.error as { detail?: unknown } | undefined)?.detail
    const said = typeof detail === 'string' ? detail : `the server answered ${result.response.status}`
    const title = (result.error as { title?: unknown } | undefined)?.title
    if (title === 'Asks first') throw new AsksFirst(said)
    if (result.response.status === 412) {
      changedElsewhere()
      throw new ChangedElsewhere(said)
    }
    throw new Error(said)
  }
  return result.data as T
}
