import type { CutView } from '../../../shared/http'
import type { Listening } from '../../listening/useListening'
import type { CutActions } from '../useCut'

/** What every step gets. */
export interface StepProps {
  cut: CutView
  actions: CutActions
  listening: Listening
}
