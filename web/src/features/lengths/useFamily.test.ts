import { mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { useFamily } from './useFamily'

const settled = () => new Promise((resolve) => setTimeout(resolve, 20))

describe('a cut and its versions', () => {
  it('are looked at until what was asked for is there, and again when the cut changes', async () => {
    let asked = 0
    const one = { id: 'c1', revision: 1, works: true, handed: null, problem: null, fitting: null }
    globalThis.fetch = vi.fn(async () => {
      asked += 1
      return Response.json([{ ...one, works: asked < 2 }])
    })
    const now = ref(1)
    let family: ReturnType<typeof useFamily> | null = null
    mount({
      setup() {
        family = useFamily(
          () => 'c1',
          () => now.value,
        )
        return () => null
      },
    })
    await settled()
    expect(family!.busy.value).toBe(true)
    await new Promise((resolve) => setTimeout(resolve, 800))
    expect([asked, family!.busy.value]).toEqual([2, false])
    await new Promise((resolve) => setTimeout(resolve, 800))
    expect(asked).toBe(2)
    now.value = 2
    await settled()
    expect(asked).toBe(3)
  })
})
