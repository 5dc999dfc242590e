import type { Step } from '../../router'
import type { CutView } from '../../shared/http'
import { bare, clock, count } from '../../shared/words'

/** A step in the column of a cut: how it stands, and whether it wants a look. */
export interface Entry {
  step: Step
  name: string
  state: string
  warn?: boolean
}

/** The steps of a cut in their order; `looks` findings are open. */
export function contentsOf(now: CutView, looks: number): Entry[] {
  const fitting = now.plan.fittings[now.plan.chosen]
  const reading = now.bed?.reading
  const swells = now.plan.levels.filter((level) => level.kind === 'swell').length ?? 0
  const dips = now.plan.levels.filter((level) => level.kind === 'dip').length ?? 0
  return [
    {
      step: 'picture',
      name: 'Picture',
      state: now.shots.length
        ? `${count(now.shots.length, 'shot')}, ${count(now.moments.length, 'moment')}`
        : `${clock(now.lengthS)} long`,
    },
    {
      step: 'beds',
      name: 'Beds',
      state: now.bed ? bare(now.bed.name) : now.candidates.length ? 'choose one' : 'bring in the music',
    },
    {
      step: 'voice',
      name: 'Voice',
      state: now.plan.phrases.length ? count(now.plan.phrases.length, 'phrase') : 'none yet',
    },
    {
      step: 'reading',
      name: 'Reading',
      state: reading
        ? reading.tempoBpm
          ? `${Math.round(reading.tempoBpm)} BPM, ${count(reading.barLinesS.length - 1, 'bar')}`
          : 'no beat found'
        : 'not yet',
    },
    {
      step: 'fit',
      name: 'Fit',
      state: fitting ? `exact, ${count(fitting.splices.length, 'splice')}` : 'not yet',
    },
    {
      step: 'shape',
      name: 'Shape',
      state: fitting ? (swells + dips ? `${count(swells, 'swell')}, ${count(dips, 'dip')}` : 'one level') : 'not yet',
    },
    {
      step: 'check',
      name: 'Check',
      state: fitting ? (looks ? `${looks} to look at` : 'all well') : 'not yet',
      warn: fitting !== undefined && looks > 0,
    },
    { step: 'hand-over', name: 'Hand over', state: now.plan.fittings.length ? 'ready' : 'not yet' },
  ]
}
