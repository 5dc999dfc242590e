import { effectScope, nextTick, ref } from 'vue'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { CutView } from '../../shared/http'
import { useListening } from './useListening'

const asked: string[] = []
/** A sound clock that stands still. */
class Clock {
  currentTime = 0
  outputLatency = 0
  destination = {}
  resume = async () => {}
  close = async () => {}
  decodeAudioData = async () => ({})
  createGain = () => ({
    gain: { value: 1, setValueAtTime: () => {}, linearRampToValueAtTime: () => {} },
    connect: () => {},
  })
  createBufferSource = () => ({ buffer: null, connect: () => {}, start: () => {}, stop: () => {} })
}

beforeEach(() => {
  asked.length = 0
  vi.stubGlobal('AudioContext', Clock)
  globalThis.fetch = vi.fn(async (url: RequestInfo | URL) => {
    asked.push(url instanceof Request ? url.url : String(url))
    return new Response(new ArrayBuffer(8))
  })
})
afterEach(() => vi.unstubAllGlobals())

const settled = () => new Promise((resolve) => setTimeout(resolve, 30))

function stand(num = 25, den = 1) {
  const cut = ref({
    id: 'c',
    lengthS: 60,
    lengthFrames: Math.floor((60 * num) / den),
    rate: { num, den },
    plan: { revision: 3, lengthSamples: 2_880_000 },
  } as unknown as CutView)
  const scope = effectScope()
  const listening = scope.run(() => useListening(cut))!
  return { cut, listening, scope }
}

describe('listening', () => {
  it('asks once for what a hand makes, and not again while the hand rests', async () => {
    const { listening, scope } = stand()
    void listening.play()
    await settled()
    asked.length = 0
    void listening.byHand({ about: 'levels', do: 'balance', byDb: 1 })
    await settled()
    await settled()
    await settled()
    // The first chunks of one run; a second run would begin with another.
    const curves = asked.filter((url) => url.endsWith('/curves'))
    expect(curves.length).toBeGreaterThan(0)
    expect(curves.length).toBeLessThan(6)
    scope.stop()
  })

  it('asks for the plan, for one layer of it, or for a candidate in its place', async () => {
    const { listening, scope } = stand()
    void listening.play()
    await settled()
    expect(asked[0]).toContain('/api/cuts/c/revisions/3/sound?hear=everything&fromSamples=0&lengthSamples=24000')
    listening.listenTo('bed')
    await nextTick()
    await settled()
    expect(asked.some((url) => url.includes('hear=bed'))).toBe(true)
    asked.length = 0
    listening.tryCandidate('h')
    await nextTick()
    await settled()
    expect(asked[0]).toMatch(/candidates\/h\/sound\?fromSamples=\d+&lengthSamples=\d+$/)
    // Choosing what to hear goes back to the plan.
    listening.listenTo('voice')
    expect(listening.candidate.value).toBeNull()
    scope.stop()
  })

  it('leaves layers out, and hears one alone', async () => {
    const { listening, scope } = stand()
    void listening.play()
    await settled()
    const all = ['bed', 'voice', 'room']
    listening.mute('voice')
    await nextTick()
    await settled()
    expect(asked.at(-1)).toContain('without=voice')
    listening.only('bed', all)
    expect(listening.without.value).toEqual(['voice', 'room'])
    listening.only('bed', all)
    expect(listening.without.value).toEqual([])
    listening.mute('room')
    listening.mute('room')
    expect(listening.without.value).toEqual([])
    scope.stop()
  })

  it('keeps a candidate going while the plan changes under it', async () => {
    const { cut, listening, scope } = stand()
    listening.tryCandidate('h')
    await settled()
    asked.length = 0
    cut.value = { ...cut.value, plan: { ...cut.value.plan, revision: 4 } }
    await nextTick()
    await settled()
    expect(asked.filter((url) => url.includes('revisions'))).toEqual([])
    scope.stop()
  })

  it('steps by whole pictures at every rate, and stays within the cut', () => {
    for (const [num, den] of [
      [25, 1],
      [30000, 1001],
      [24000, 1001],
    ] as const) {
      const { listening, scope } = stand(num, den)
      for (let k = 1; k <= 40; k++) {
        listening.step(1)
        expect(listening.frame.value).toBe(k)
      }
      listening.step(-39)
      expect(listening.frame.value).toBe(1)
      listening.step(-5)
      expect(listening.positionS.value).toBe(0)
      listening.seek(1000)
      expect(listening.positionS.value).toBe(60)
      scope.stop()
    }
  })
})
