import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import DropArea from '../../shared/DropArea.vue'
import CutForm from './CutForm.vue'
import CutList from './CutList.vue'

const cut = {
  id: 'c1',
  title: '<b>Market</b>',
  lengthTimecode: '00:01:30:00',
  rate: { num: 25, den: 1, dropFrame: false, label: '25' },
  bed: 'Copper Escapement.wav',
  narration: null,
  createdAt: '',
}
/** What a page asks for beside its cuts has an answer that stays the same. */
function serve(answerTo: (request: Request) => Response | Promise<Response>) {
  globalThis.fetch = vi.fn(async (asked: RequestInfo | URL) => {
    const request = asked as Request
    return new URL(request.url, 'http://x').pathname === '/api/rates' ? Response.json([cut.rate]) : answerTo(request)
  })
}
const settled = () => new Promise((resolve) => setTimeout(resolve, 10))
let answers: Record<string, () => Response> = {}

beforeEach(() => {
  answers = { GET: () => Response.json({ cuts: [cut], total: 1 }), POST: () => Response.json({ ...cut, id: 'c2' }) }
  serve((request) => answers[request.method]!())
})

async function stand() {
  const empty = { template: '<i />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: empty },
      { path: '/cuts/:id/:step?', component: empty },
    ],
  })
  const view = mount(CutList, { global: { plugins: [antd, router] } })
  await settled()
  return { view, router }
}

describe('the list of cuts', () => {
  it('shows titles as text, and what is not there yet', async () => {
    const { view } = await stand()
    const card = view.get('[data-test=cut]')
    expect(card.attributes('href')).toBe('/cuts/c1')
    expect(card.get('b').text()).toBe('<b>Market</b>')
    expect(card.text()).toContain('Copper Escapement')
    expect(card.text()).toContain('no narration yet')
    expect(card.text()).not.toContain('.wav')
  })

  it('asks the server to search and sort, a page at a time', async () => {
    const asked: URLSearchParams[] = []
    serve((request) => {
      const query = new URL(request.url, 'http://x').searchParams
      asked.push(query)
      if (query.get('words')) return Response.json({ cuts: [], total: 0 })
      const from = Number(query.get('skip'))
      const cuts = [0, 1].map((k) => ({ ...cut, id: `c${from + k}`, title: `Cut ${from + k}` }))
      return Response.json({ cuts, total: 4 })
    })
    const { view } = await stand()
    const titles = () => view.findAll('[data-test=cut] b').map((b) => b.text())
    expect(titles()).toEqual(['Cut 0', 'Cut 1'])
    await view.get('[data-test=more-cuts]').trigger('click')
    await settled()
    expect(titles()).toEqual(['Cut 0', 'Cut 1', 'Cut 2', 'Cut 3'])
    expect(view.find('[data-test=more-cuts]').exists()).toBe(false)
    await view.get('[data-test=look-for]').setValue('nothing')
    view.findAllComponents({ name: 'ASelect' })[0]?.vm.$emit('update:value', 'title')
    await new Promise((resolve) => setTimeout(resolve, 260))
    expect(Object.fromEntries(asked.at(-1)!)).toMatchObject({ words: 'nothing', sort: 'title', skip: '0' })
    expect(view.text()).toContain('No cut has “nothing”')
  })

  it('takes a cut away without asking, and says how to get it back', async () => {
    const asked: string[] = []
    serve((request) => {
      const { method, url } = request as Request
      asked.push(`${method} ${new URL(url, 'http://x').pathname}`)
      return method === 'GET' ? Response.json({ cuts: [cut], total: 1 }) : new Response(null, { status: 204 })
    })
    const { view } = await stand()
    await view.get('[data-test=take-away]').trigger('click')
    await settled()
    expect(view.get('[role=status]').text()).toContain('“<b>Market</b>” is taken away.')
    await view.get('[data-test=bring-back]').trigger('click')
    await settled()
    expect(view.find('[data-test=bring-back]').exists()).toBe(false)
    expect(asked).toEqual([
      'GET /api/cuts',
      'DELETE /api/cuts/c1',
      'GET /api/cuts',
      'POST /api/cuts/c1/back',
      'GET /api/cuts',
    ])
  })

  it('says how to begin where there is nothing', async () => {
    answers.GET = () => Response.json({ cuts: [], total: 0 })
    const { view } = await stand()
    expect(view.text()).toContain('There is no cut yet. Make one')
  })

  it('says what the server says when it cannot be read', async () => {
    const problem = {
      type: '/problems/internal',
      title: '',
      status: 500,
      code: 'internal',
      detail: 'It failed. Try again.',
    }
    answers.GET = () => Response.json(problem, { status: 500 })
    const { view } = await stand()
    expect(view.get('.ant-alert').text()).toContain('It failed. Try again.')
  })

  it('goes to the picture of a cut that was made', async () => {
    const { view, router } = await stand()
    view.findComponent(CutForm).vm.$emit('submit', { title: 'Market' })
    await settled()
    expect(router.currentRoute.value.path).toBe('/cuts/c2/picture')
  })

  it('takes edit lists and films, and nothing while one is under way', async () => {
    const { view } = await stand()
    const drop = view.getComponent(DropArea)
    for (const ending of ['.otio', '.edl', '.mp4', '.webm']) expect(drop.props('accept')).toContain(ending)
    expect(drop.props('disabled')).toBe(false)
    answers.POST = () => Response.json({ ...cut, id: 'c3' })
    view.findComponent(CutForm).vm.$emit('submit', { title: 'Market' })
    await view.vm.$nextTick()
    expect(drop.props('disabled')).toBe(true)
    await settled()
    expect(drop.props('disabled')).toBe(false)
  })
})
