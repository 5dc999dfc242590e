import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { append, begin, blocksOf, forget, ofCut, type Kept } from './keep'

const kept = (id: string, cutId: string): Kept => ({ id, cutId, atSamples: -120, rateHz: 48_000, startedAt: 1 })

describe('recordings that the server does not have yet', () => {
  it('are kept block by block, in order, for their own cut', async () => {
    await begin(kept('a', 'one'))
    await begin(kept('b', 'two'))
    // Out of order, and past ten, where an order of texts would go wrong.
    for (const k of [2, 0, 11, 1]) await append('a', k, Float32Array.of(k))
    await append('b', 0, Float32Array.of(99))
    expect((await blocksOf('a')).map((block) => block[0])).toEqual([0, 1, 2, 11])
    expect(await ofCut('one')).toEqual([kept('a', 'one')])
    // The place is known a little after the beginning.
    await begin({ ...kept('a', 'one'), atSamples: 4800 })
    expect((await ofCut('one'))[0]?.atSamples).toBe(4800)
    expect(await blocksOf('a')).toHaveLength(4)
  })

  it('go only when they have arrived, and take nothing else along', async () => {
    await forget('a')
    expect(await ofCut('one')).toEqual([])
    expect(await blocksOf('a')).toEqual([])
    expect(await blocksOf('b')).toHaveLength(1)
  })
})
