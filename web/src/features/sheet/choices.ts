import type { LevelName } from '../../shared/http'

/** How a rise or a fall goes. */
export const SLOPES = [
  { value: 'one', label: 'in one' },
  { value: 'gentlyThenSharply', label: 'gently, then sharply' },
  { value: 'sharplyThenGently', label: 'sharply, then gently' },
]

/** What a layer does while somebody speaks. */
export const RULES = [
  { value: 'out', label: 'out' },
  { value: 'low', label: 'low' },
  { value: 'onlyUnder', label: 'only then' },
  { value: 'untouched', label: 'untouched' },
]

/** What a level object stays the same thing by, also while a fade gets longer. */
export function levelKey({ kind, startSamples, endSamples }: LevelName): string {
  if (kind === 'fadeIn') return `${kind} ${startSamples}`
  if (kind === 'fadeOut') return `${kind} ${endSamples}`
  return `${kind} ${startSamples} ${endSamples}`
}
