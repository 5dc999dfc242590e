import { describe, expect, it } from 'vitest'
import { layoutPicture } from './pictureLines'

const cut = {
  lengthS: 50,
  shots: [
    { name: 'tower', atS: 0, lengthS: 12, still: false, frame: 0 },
    { name: 'workbench by lamp light', atS: 12, lengthS: 20, still: true, frame: 300 },
    { name: 'square', atS: 32, lengthS: 18, still: false, frame: 800 },
  ],
  moments: [
    { name: 'lid lifted', atS: 21 },
    { name: 'strike', atS: 21.2 },
  ],
}

describe('the picture in lines', () => {
  const layout = layoutPicture(cut, 20, 1000)

  it('covers the cut without a hole, however shots run over lines', () => {
    const seconds = layout.lines.flatMap((line) =>
      line.shots.map((shot) => layout.seconds(line.index, shot.x + shot.width) - layout.seconds(line.index, shot.x)),
    )
    expect(seconds.reduce((sum, s) => sum + s, 0)).toBeCloseTo(50, 6)
    expect(layout.lines).toHaveLength(3)
  })

  it('names a shot where it begins and nowhere else', () => {
    const named = layout.lines.flatMap((line) => line.shots.filter((shot) => shot.name).map((shot) => shot.index))
    expect(named).toEqual([0, 1, 2])
    expect(layout.lines[1]!.shots[0]).toMatchObject({ index: 1, begins: false, name: '' })
  })

  it('writes no name over another', () => {
    expect(layout.lines[1]!.moments.map((moment) => moment.text)).toEqual(['lid lifted', ''])
  })

  it('tells the time of a place and the place of a time alike', () => {
    expect(layout.seconds(1, layout.x(1, 27.3))).toBeCloseTo(27.3, 9)
    expect(layout.seconds(2, 99_999)).toBe(50)
  })
})
