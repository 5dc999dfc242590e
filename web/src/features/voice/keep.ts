import { openDB, type DBSchema, type IDBPDatabase } from 'idb'

/**
 * Recordings that the server does not have yet, kept in the browser's own database block by
 * block while they are made: a reload, a crash or a lost connection loses nothing.
 */

export interface Kept {
  id: string
  cutId: string
  /** Where the first sample lies on the cut; negative when it began before the cut did. */
  atSamples: number
  rateHz: number
  startedAt: number
}

interface Shape extends DBSchema {
  recordings: { key: string; value: Kept }
  blocks: { key: [string, number]; value: Float32Array }
}

let opened: Promise<IDBPDatabase<Shape>> | null = null

function database(): Promise<IDBPDatabase<Shape>> {
  return (opened ??= openDB<Shape>('jaunty-recordings', 1, {
    upgrade(db) {
      db.createObjectStore('recordings', { keyPath: 'id' })
      db.createObjectStore('blocks')
    },
  }))
}

export async function begin(recording: Kept): Promise<void> {
  await (await database()).put('recordings', recording)
}

export async function append(id: string, index: number, samples: Float32Array): Promise<void> {
  await (await database()).put('blocks', samples, [id, index])
}

/** The recordings of a cut that the server does not have. */
export async function ofCut(cutId: string): Promise<Kept[]> {
  return (await (await database()).getAll('recordings')).filter((recording) => recording.cutId === cutId)
}

export async function blocksOf(id: string): Promise<Float32Array[]> {
  return (await database()).getAll('blocks', IDBKeyRange.bound([id, 0], [id, Infinity]))
}

export async function forget(id: string): Promise<void> {
  const db = await database()
  await db.delete('blocks', IDBKeyRange.bound([id, 0], [id, Infinity]))
  await db.delete('recordings', id)
}
