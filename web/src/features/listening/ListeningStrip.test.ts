import { mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { computed, ref } from 'vue'
import type { CutView } from '../../shared/http'
import ListeningStrip from './ListeningStrip.vue'
import type { Hear, Listening } from './useListening'

function stand(lengthSamples = 2_880_000) {
  const listening = {
    positionS: ref(12),
    playing: ref(false),
    repeating: ref(false),
    passage: ref(null),
    hear: ref<Hear>('everything'),
    frame: computed(() => 300),
    frameRate: computed(() => 25),
    candidate: ref<string | null>(null),
    soundClock: vi.fn(),
    startedAt: () => null,
    before: ref(false),
    without: ref<readonly string[]>([]),
    mute: vi.fn(),
    only: vi.fn(),
    setVolume: vi.fn(),
    step: vi.fn(),
    tryCandidate: vi.fn(),
    play: vi.fn(),
    stop: vi.fn(),
    seek: vi.fn(),
    toggle: vi.fn(),
    toggleRepeat: vi.fn(),
    toggleBefore: vi.fn(),
    repeatPassage: vi.fn(),
    keepAtHand: vi.fn(),
    byHand: vi.fn(),
    listenTo: vi.fn(),
  } satisfies Listening
  const level = {
    index: 0,
    kind: 'dip',
    startS: 10,
    endS: 20,
    riseS: 0,
    fallS: 0,
    underSpeechDb: 20,
    gainDb: 0,
    byHand: false,
  }
  const candidates = [{ hash: 'h', name: 'Paper Kites.wav' }]
  const ambiences = [{ hash: 'room', name: 'Room.wav' }]
  const plan = { lengthSamples, levels: [level], ambiences }
  const cut = { lengthS: 60, candidates, bed: {}, pieces: [{}], plan } as unknown as CutView
  return { listening, strip: mount(ListeningStrip, { props: { cut, listening }, attachTo: document.body }) }
}

const press = (key: string, more: KeyboardEventInit = {}, target: EventTarget = document.body) =>
  target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))

describe('the listening strip', () => {
  it('does with keys what its buttons do', () => {
    const { listening, strip } = stand()
    press(' ')
    expect(listening.toggle).toHaveBeenCalledOnce()
    press('r')
    expect(listening.toggleRepeat).toHaveBeenCalledOnce()
    press('2')
    expect(listening.listenTo).toHaveBeenCalledWith('bed')
    press('ArrowLeft', { shiftKey: true })
    expect(listening.seek).toHaveBeenLastCalledWith(7)
    press('ArrowRight')
    expect(listening.seek).toHaveBeenLastCalledWith(13)
    strip.unmount()
    press(' ')
    expect(listening.toggle).toHaveBeenCalledOnce()
  })

  it('leaves keys alone while somebody types, and with Ctrl', () => {
    const { listening } = stand()
    const input = document.createElement('input')
    document.body.append(input)
    press(' ', {}, input)
    press('r', { ctrlKey: true })
    expect(listening.toggle).not.toHaveBeenCalled()
    expect(listening.toggleRepeat).not.toHaveBeenCalled()
    input.remove()
  })

  it('says how far the bed lies under the voice where the ear is', async () => {
    const { listening, strip } = stand()
    expect(strip.text()).toContain('bed under the voice −20 dB')
    listening.positionS.value = 40
    await strip.vm.$nextTick()
    expect(strip.text()).not.toContain('under the voice')
  })

  it('says which candidate is tried, and goes back to the plan', async () => {
    const { listening, strip } = stand()
    listening.candidate.value = 'h'
    await strip.vm.$nextTick()
    expect(strip.text()).toContain('trying Paper Kites')
    expect(strip.text()).not.toContain('under the voice')
    await strip.get('.level button').trigger('click')
    expect(listening.tryCandidate).toHaveBeenCalledWith(null)
  })

  it('steps by pictures', () => {
    const { listening } = stand()
    press('b')
    press('n')
    expect(listening.step.mock.calls).toEqual([[-1], [1]])
  })

  it('plays nothing when there is nothing to play', () => {
    const { listening, strip } = stand(0)
    press(' ')
    expect(listening.toggle).not.toHaveBeenCalled()
    expect(strip.get('[data-test=play]').attributes('disabled')).toBeDefined()
  })

  it('goes to a time that is typed into the clock, and leaves what is no time', async () => {
    const { strip: view, listening } = stand()
    for (const [text, seconds] of [
      ['0:41,5', 41.5],
      ['9:99:99', null],
      ['900', 60],
    ] as const) {
      await view.get('[data-test=position]').trigger('click')
      const field = view.get('[data-test=go-to]')
      await field.setValue(text)
      await field.trigger('keydown', { key: 'Enter' })
      if (seconds === null) await field.trigger('keydown', { key: 'Escape' })
      else expect(listening.seek).toHaveBeenLastCalledWith(seconds)
    }
    expect(listening.seek).toHaveBeenCalledTimes(2)
  })
})
