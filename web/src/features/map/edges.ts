import type { layoutMap } from '../../drawing/map'
import type { CutView, FittingView, Wish } from '../../shared/http'

/** What is kept of how the bed begins and ends; a click lets it go, or asks for it again. */
export interface Edge {
  side: 'begins' | 'ends'
  text: string
  hint: string
  wish: Wish
  bedX: number
  cutX: number
  anchor: 'start' | 'end'
}

/** How the fitting begins and ends, where the bed's own way is kept or was given up by a wish. */
export function edges(cut: CutView, fitting: FittingView, map: ReturnType<typeof layoutMap>): Edge[] {
  const { start, end } = cut.plan.wishes
  const begins = fitting.start === 'top'
  const ends = fitting.end === 'ownEnding' || fitting.end === 'ownFade'
  const said = (wish: string) => wish !== 'free'
  const all: Edge[] = []
  if (begins || said(start))
    all.push({
      side: 'begins',
      text: begins ? 'as it begins' : 'begin as it begins',
      hint: begins ? 'Click to let it begin elsewhere' : 'Click to let it begin as it begins',
      wish: { what: 'start', kind: begins ? 'cold' : said(start) ? 'free' : 'top' } as Wish,
      bedX: map.bedX(0) + 3,
      cutX: map.cutX(0) + 3,
      anchor: 'start',
    })
  if (cut.bed?.reading && cut.bed.reading.ending !== 'stopsDead' && (ends || said(end)))
    all.push({
      side: 'ends',
      text: ends ? 'as it ends' : 'end as it ends',
      hint: ends ? 'Click to let it end elsewhere' : 'Click to let it end as it ends',
      wish: { what: 'end', kind: ends ? 'stop' : said(end) ? 'free' : 'ownEnding' } as Wish,
      bedX: Math.min(map.right, map.ribbons.at(-1)?.to ?? map.right) - 3,
      cutX: map.right - 10,
      anchor: 'end',
    })
  return all
}
