import { describe, expect, it } from 'vitest'
import { isFilm, useSending } from './files'

describe('files on their way', () => {
  it('stand in the list until they have arrived, each with its own share', async () => {
    const { sending, send } = useSending()
    const file = (name: string) => new File(['x'], name)
    let finish = () => {}
    const slow = send(file('slow.wav'), (progress) => {
      progress(0.4)
      return new Promise<void>((resolve) => (finish = resolve))
    })
    await send(file('quick.wav'), async (progress) => progress(1))
    expect(sending).toEqual([{ name: 'slow.wav', share: 0.4, levelsDb: [] }])
    finish()
    await slow
    expect(sending).toEqual([])
  })

  it('leave the list when they fail, and the failure is not swallowed', async () => {
    const { sending, send } = useSending()
    await expect(send(new File([''], 'a.wav'), () => Promise.reject(new Error('no room')))).rejects.toThrow('no room')
    expect(sending).toEqual([])
  })

  it('are films by their endings', () => {
    expect(['cut.MP4', 'a.b.webm', 'x.mov'].map(isFilm)).toEqual([true, true, true])
    expect(['mp4', 'list.edl', 'film.mp4.srt'].map(isFilm)).toEqual([false, false, false])
  })
})
