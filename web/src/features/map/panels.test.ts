import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { describe, expect, it } from 'vitest'
import type { BedReading } from '../../drawing/bars'
import type { CutView, NaturalWaysView } from '../../shared/http'
import { testCut } from '../../shared/testCut'
import NextBed from './NextBed.vue'
import PartsRow from './PartsRow.vue'
import WishesPanel from './WishesPanel.vue'

const global = { plugins: [antd] }
type Wishes = CutView['plan']['wishes']

describe('what is asked for', () => {
  function panel(
    wishes: Partial<Wishes> = {},
    change: (cut: CutView) => void = () => {},
    more: Partial<NaturalWaysView> = {},
  ) {
    const cut = testCut()
    cut.plan.wishes = { ...cut.plan.wishes, ...wishes }
    change(cut)
    const stills = [
      { lengthFrames: 700, lengthS: 28, meanHoldS: 10.25, factor: 1.46, advised: true },
      { lengthFrames: 1400, lengthS: 56, meanHoldS: 20.5, factor: 2.9, advised: false },
    ]
    const lengths = [
      { lengthFrames: 700, lengthS: 28, whole: false },
      { lengthFrames: 1400, lengthS: 56, whole: true },
    ]
    const ways = { lengths, stills, whyNot: null, ...more }
    return mount(WishesPanel, { props: { cut, busy: false, ways, positionS: 12.5 }, global })
  }
  const wished = (one: ReturnType<typeof panel>) =>
    (one.emitted('say') as [{ wish: unknown }][]).map(([said]) => said.wish)
  const labelled = (one: ReturnType<typeof panel>, label: string) => one.get(`input[aria-label="${label}"]`)

  it('lays the bed from the playhead on or until it, and keeps the other end', async () => {
    const one = panel({ place: { startS: 3, endS: 20 } })
    const [from, until] = one.findAll('[data-test=place] button')
    await from?.trigger('click')
    await until?.trigger('click')
    await one.get('[data-test=place-all]').trigger('click')
    expect(wished(one)).toEqual([
      { what: 'place', startSamples: 600_000, endSamples: 960_000 },
      { what: 'place', startSamples: 144_000, endSamples: 600_000 },
      { what: 'place' },
    ])
  })

  it('begins on a bar by its number', async () => {
    const one = panel(
      {},
      (cut) => (cut.bed!.reading = { ending: 'fadesOut', barLinesS: [0.5, 2.5, 4.5, 6.5] } as unknown as BedReading),
    )
    const field = labelled(one, 'Bar that it begins on')
    expect(field.attributes('aria-valuemax')).toBe('3')
    await field.setValue('3')
    await field.trigger('blur')
    expect(wished(one)).toEqual([{ what: 'start', kind: 'cold', atSamples: 216_000 }])
  })

  it('offers moments that the core gives a bed to, and no others', async () => {
    const moment = { name: '', timecode: '', byHand: false }
    const one = panel({}, (cut) => {
      cut.moments = [
        { ...moment, frame: 50, atS: 2, kind: 'title', bedFromS: 2 },
        { ...moment, frame: 300, atS: 12, kind: 'hit', bedFromS: null },
        { ...moment, frame: 700, atS: 28, kind: 'credits', bedFromS: 26 },
      ]
    })
    const forms = one.findAll('[data-test=from-moment]')
    expect(forms.map((f) => f.text())).toEqual(['after the title at 0:02', 'a little before the credits at 0:28'])
    await forms[1]?.trigger('click')
    expect(wished(one)).toEqual([{ what: 'place', startSamples: 1_248_000, endSamples: null }])
  })

  it('has no place to choose where several beds share the cut', () => {
    const one = panel({}, (cut) => {
      cut.plan.parts = [cut.plan.parts[0]!, { ...cut.plan.parts[0]!, atHand: false }]
    })
    expect(one.find('[data-test=place]').exists()).toBe(false)
  })

  it('pins a last hit only for a bed that has one', async () => {
    const find = (ending: string) =>
      panel({}, (cut) => (cut.bed!.reading = { ending } as unknown as BedReading)).find('[data-test=hit-here]')
    expect(find('fadesOut').exists()).toBe(false)
    expect(find('ownEnding').text()).toContain('0:12.5')
  })

  it('says figures once, and takes the count of plays back when it is emptied', async () => {
    const one = panel({ mostPlays: 2 })
    await labelled(one, 'Least bars between splices').setValue('8')
    await labelled(one, 'Least bars between splices').trigger('blur')
    await labelled(one, 'Most change of speed').setValue('0.5')
    await labelled(one, 'Most change of speed').trigger('blur')
    await labelled(one, 'How often a passage may be heard').setValue('')
    await labelled(one, 'How often a passage may be heard').trigger('blur')
    expect(wished(one)).toEqual([
      { what: 'leastRun', bars: 8 },
      { what: 'speedChange', share: 0.005 },
      { what: 'mostPlays', times: null },
    ])
  })

  it('lists what was said by hand and takes one back', async () => {
    const one = panel()
    const said = one.findAll('[data-test=wish]')
    expect(said.map((s) => s.get('span').text())).toEqual(testCut().plan.wishes.standing.map((s) => s.words))
    await said[1]?.get('button').trigger('click')
    expect(one.emitted('say')).toEqual([[{ about: 'fit', do: 'takeBack', wish: { what: 'pin', cutSamples: 384_000 } }]])
  })

  it('offers lengths at which the bed ends by itself, the whole piece by name', async () => {
    const one = panel()
    const lengths = one.get('[data-test=natural-lengths]').findAll('button')
    expect(lengths.map((l) => l.text())).toEqual(['0:28.0', '0:56.0, the whole piece'])
    await lengths[1]?.trigger('click')
    expect(one.emitted('say')).toEqual([[{ about: 'fit', do: 'length', frames: 1400 }]])
  })

  it('says why the picture cannot give way, and marks all shots as stills at once', async () => {
    const one = panel({}, (cut) => cut.shots.forEach((shot) => (shot.still = false)), {
      stills: [],
      whyNot: 'No shot is a still.',
    })
    expect(one.get('[data-test=no-ways]').text()).toContain('No shot is a still.')
    await one.get('[data-test=all-stills]').trigger('click')
    expect(one.emitted('picture')).toEqual([[{ about: 'picture', do: 'stills', all: true }]])
  })

  it('leaves out the singing of a bed that is sung, and of no other', async () => {
    const find = (singing: object[]) =>
      panel({}, (cut) => (cut.bed!.reading = { singing } as unknown as BedReading)).find(
        '[data-test=leave-out-singing]',
      )
    expect(find([]).exists()).toBe(false)
    expect(find([{ startS: 1, endS: 2, likelihood: 1 }]).exists()).toBe(true)
  })

  it('tells when holding the stills goes too far', async () => {
    const one = panel()
    const ways = one.findAll('.said').filter((s) => s.text().includes('hold the stills so'))
    expect(ways.map((w) => w.find('.warn').exists())).toEqual([false, true])
    await ways[0]?.get('button').trigger('click')
    expect(one.emitted('say')).toEqual([[{ about: 'fit', do: 'holdStills', frames: 700 }]])
  })
})

describe('several beds', () => {
  const two = () => {
    const cut = testCut()
    const part = cut.plan.parts[0]!
    cut.plan.parts = [
      { ...part, name: 'first.wav', atHand: false, endS: 13 },
      { ...part, name: 'second.wav', hash: 'c', startS: 11, handoverAtS: 12, handoverS: 2 },
    ]
    return cut
  }

  it('are named in order with the one at hand, and their handover is typed', async () => {
    const one = mount(PartsRow, { props: { cut: two(), busy: false }, global })
    const parts = one.findAll('[data-test=part]')
    expect(parts).toHaveLength(2)
    expect(parts[0]?.text()).toContain('first')
    const fields = one.findAll('input')
    await fields[0]?.setValue('15')
    await fields[0]?.trigger('blur')
    await fields[1]?.setValue('3')
    await fields[1]?.trigger('blur')
    const moved = { about: 'bed', do: 'moveHandover', fromSamples: 528_000 }
    expect(one.emitted('say')).toEqual([
      [{ ...moved, atSamples: 720_000, lengthSamples: 96_000 }],
      [{ ...moved, atSamples: 576_000, lengthSamples: 144_000 }],
    ])
  })

  it('cannot begin before the cut does', async () => {
    const cut = two()
    cut.candidates = [{ hash: 'c', name: 'second.wav', reading: {} }] as unknown as CutView['candidates']
    const at = (positionS: number) => mount(NextBed, { props: { cut, busy: false, positionS }, global })
    expect(at(0).findComponent({ name: 'ASelect' }).props('disabled')).toBe(true)
    const one = at(9)
    one.findComponent({ name: 'ASelect' }).vm.$emit('change', 'c')
    expect(one.emitted('say')).toEqual([[{ about: 'bed', do: 'goOnWith', sound: 'c', atSamples: 432_000 }]])
  })
})
