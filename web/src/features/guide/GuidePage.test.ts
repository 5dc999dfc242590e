import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import GuidePage from './GuidePage.vue'

describe('the guide', () => {
  it('tells all eight steps, with pictures that ship with the page', () => {
    const router = createRouter({ history: createMemoryHistory(), routes: [{ path: '/', component: GuidePage }] })
    const view = mount(GuidePage, { global: { plugins: [router] } })
    const steps = view.findAll('h2').map((h) => h.text())
    expect(steps.slice(0, 8).map((step) => step.split(' ')[0])).toEqual(['1', '2', '3', '4', '5', '6', '7', '8'])
    const pictures = view.findAll('img').map((img) => img.attributes('src') ?? '')
    expect(pictures.length).toBeGreaterThan(8)
    // What was not found would still be a place beside the text.
    expect(pictures.filter((src) => src.startsWith('screenshots/'))).toEqual([])
  })
})
