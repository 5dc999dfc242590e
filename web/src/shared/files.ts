import { reactive } from 'vue'

/** Endings of sound files that are read here. */
export const SOUNDS = '.wav,.wave,.aif,.aiff,.flac,.mp3,.ogg,.oga,.m4a,.mp4,.aac,audio/*'
/** Endings of films. */
export const FILMS = '.webm,.mp4,.m4v,.mov,.mkv'
/** Endings of lists that say how long a cut is, and of those that do not. */
export const CUT_LISTS = '.edl,.otio,.json,.txt'
export const OTHER_LISTS = '.csv,.tsv,.vtt,.srt'

/** A whole cut, as it is handed over. */
export const CUTS = '.zip'

/** Whether a file is a whole cut, by its name. */
export const isCut = (name: string) => name.toLowerCase().endsWith(CUTS)

/** Whether a file is a film, by its name. */
export function isFilm(name: string): boolean {
  return FILMS.split(',').some((ending) => name.toLowerCase().endsWith(ending))
}

export interface Sending {
  name: string
  share: number
  levelsDb: number[]
}

/** The files that are on their way, each with the share that has arrived. */
export function useSending() {
  const sending = reactive<Sending[]>([])

  /** Runs `work` for a file while it stands in the list. */
  async function send(
    file: File,
    work: (progress: (share: number) => void, entry: Sending) => Promise<unknown>,
  ): Promise<void> {
    const entry = reactive<Sending>({ name: file.name, share: 0, levelsDb: [] })
    sending.push(entry)
    try {
      await work((share) => (entry.share = share), entry)
    } finally {
      sending.splice(sending.indexOf(entry), 1)
    }
  }

  return { sending, send }
}
