import type { ShapeView } from '../../shared/http'

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

/** One knob for those who want one: bed under the voice and alone move together, as far as their fields go. */
export function balanced(shape: ShapeView, byDb: number): ShapeView {
  const within = (db: number) => Math.min(40, Math.max(0, db + byDb))
  return { ...shape, underSpeechDb: within(shape.underSpeechDb), aloneDb: within(shape.aloneDb) }
}
