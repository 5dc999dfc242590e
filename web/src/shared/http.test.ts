import { afterEach, describe, expect, it, vi } from 'vitest'
import { answer, fetchSound, Problem, sendFile } from './http'

/** A request that the test answers. */
class Sent {
  static last: Sent
  upload: { onprogress?: (event: object) => void } = {}
  onload?: () => void
  onerror?: () => void
  status = 200
  responseText = ''
  opened: string[] = []
  body: FormData | null = null
  constructor() {
    Sent.last = this
  }
  open(...how: string[]) {
    this.opened = how
  }
  send(body: FormData) {
    this.body = body
  }
}

afterEach(() => vi.unstubAllGlobals())

describe('sending a file', () => {
  function send(progress = vi.fn()) {
    vi.stubGlobal('XMLHttpRequest', Sent)
    return { sent: sendFile('/api/x', new File(['abc'], 'bed.wav'), progress), progress }
  }

  it('tells how far it is, and gives what the server says', async () => {
    const { sent, progress } = send()
    expect(Sent.last.opened).toEqual(['POST', '/api/x'])
    expect((Sent.last.body?.get('file') as File).name).toBe('bed.wav')
    Sent.last.upload.onprogress?.({ lengthComputable: true, loaded: 1, total: 4 })
    Sent.last.upload.onprogress?.({ lengthComputable: false, loaded: 2, total: 0 })
    expect(progress.mock.calls).toEqual([[0.25]])
    Sent.last.responseText = '{"id":"x"}'
    Sent.last.onload?.()
    await expect(sent).resolves.toEqual({ id: 'x' })
  })

  it('fails with what the server says, with or without sense, and when nobody answers', async () => {
    for (const [status, text, told] of [
      [413, '{"detail":"Too large.","code":"too-large"}', 'Too large.'],
      [502, '<html>', 'did not answer'],
    ] as const) {
      const { sent } = send()
      Object.assign(Sent.last, { status, responseText: text })
      Sent.last.onload?.()
      await expect(sent).rejects.toThrow(told)
    }
    const { sent } = send()
    Sent.last.onerror?.()
    await expect(sent).rejects.toMatchObject({ code: 'no-answer' })
  })
})

describe('an answer', () => {
  it('is its data, or its problem thrown', async () => {
    const ok = Promise.resolve({ data: 5, response: new Response() })
    await expect(answer(ok)).resolves.toBe(5)
    const refused = Promise.resolve({
      error: { detail: 'No.', code: 'stale' },
      response: new Response('', { status: 409 }),
    })
    await expect(answer(refused)).rejects.toEqual(new Problem('No.', 'stale'))
    await expect(answer(Promise.reject(new TypeError('network')))).rejects.toThrow('Nothing was changed')
  })

  it('of sound is bytes, or its problem', async () => {
    const abort = new AbortController().signal
    vi.stubGlobal('fetch', async () => new Response(new Uint8Array([1, 2])))
    expect((await fetchSound('/sound', abort)).byteLength).toBe(2)
    vi.stubGlobal('fetch', async () => new Response('oh', { status: 500 }))
    await expect(fetchSound('/sound', abort)).rejects.toThrow('did not answer')
  })
})
