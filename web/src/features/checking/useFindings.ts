import { computed } from 'vue'
import type { CutView, PlanView } from '../../shared/http'
import { useMeters } from '../listening/useMeters'

export type Finding = PlanView['findings'][number]

/** What was found in a cut's plan and in its mix; what needs a look first, what somebody accepted last. */
export function useFindings(cut: () => CutView | null) {
  const meters = useMeters(cut)
  const acceptedBy = (finding: Finding) => cut()?.plan.accepted.find((one) => one.finding === finding.key)?.by
  const isOpen = (finding: Finding) => finding.needsLook && !acceptedBy(finding)
  const rank = (finding: Finding) => (acceptedBy(finding) ? 2 : finding.needsLook ? 0 : 1)
  const findings = computed(() =>
    [...(cut()?.plan.findings ?? []), ...(meters.value?.findings ?? [])].sort(
      (a, b) => rank(a) - rank(b) || a.atS - b.atS,
    ),
  )
  const openCount = computed(() => findings.value.filter(isOpen).length)
  return { meters, findings, openCount, acceptedBy, isOpen }
}
