import { message } from 'ant-design-vue'
import { onScopeDispose, ref } from 'vue'
import type { CutView } from '../../shared/http'
import { count } from '../../shared/words'
import type { CutActions } from '../cut/useCut'
import type { Listening } from '../listening/useListening'
import * as keep from './keep'
import { peakDbfs, wavOf, without } from './wav'
import { tell } from '../../shared/tell'

/** The device that needs no microphone: a made-up narrator, for trying the recorder. */
export const STAND_IN = 'stand-in'
export type Phones = 'silent' | 'low' | 'full'
const VOLUMES: Record<Phones, number> = { silent: 0, low: 0.25, full: 1 }
const COUNT_S = 3

/** Recording in the page: devices, level, count-in, takes that are never lost. */
export function useRecorder(cut: () => CutView, actions: CutActions, listening: Listening) {
  const devices = ref<{ id: string; label: string }[]>([{ id: STAND_IN, label: 'Stand-in narrator, no microphone' }])
  const device = ref(STAND_IN)
  const phones = ref<Phones>('low')
  const levelDbfs = ref(-90)
  const state = ref<'idle' | 'opening' | 'counting' | 'recording' | 'saving'>('idle')
  const counting = ref(0)
  const recordedS = ref(0)

  let source: { node: AudioNode; end: () => void } | null = null
  let worklet: AudioWorkletNode | null = null
  let take: { kept: keep.Kept; firstFrame: number | null; index: number; writing: Promise<unknown> } | null = null

  let chosen = false

  function choose(id: string) {
    chosen = true
    device.value = id
    close()
  }

  async function listDevices() {
    const found = (await navigator.mediaDevices?.enumerateDevices().catch(() => [])) ?? []
    const inputs = found.filter((one) => one.kind === 'audioinput')
    devices.value = [
      ...inputs.map((one, k) => ({ id: one.deviceId || 'default', label: one.label || `Microphone ${k + 1}` })),
      { id: STAND_IN, label: 'Stand-in narrator, no microphone' },
    ]
    // A real microphone comes first, until somebody chooses.
    const first = devices.value[0]
    if (device.value === STAND_IN && first && !chosen) device.value = first.id
  }

  async function openSource(context: AudioContext) {
    if (device.value === STAND_IN) {
      const reply = await globalThis.fetch('/api/stand-in-microphone.wav')
      const node = context.createBufferSource()
      node.buffer = await context.decodeAudioData(await reply.arrayBuffer())
      node.loop = true
      return { node, latencyS: 0, start: () => node.start(), end: () => node.stop() }
    }
    // Before the first permission browsers hide the names of devices: then any microphone does.
    const deviceId = device.value === 'default' ? undefined : device.value
    const audio = { deviceId, echoCancellation: false, noiseSuppression: false, autoGainControl: false }
    const stream = await navigator.mediaDevices.getUserMedia({ audio })
    void listDevices()
    const track = stream.getAudioTracks()[0]
    const latencyS = (track?.getSettings() as { latency?: number } | undefined)?.latency ?? 0
    const end = () => stream.getTracks().forEach((one) => one.stop())
    return { node: context.createMediaStreamSource(stream), latencyS, start: () => undefined, end }
  }

  /** Opens the device and shows its level. */
  async function open(): Promise<{ start: () => void; latencyS: number } | null> {
    close()
    const context = listening.soundClock()
    try {
      await context.resume()
      await context.audioWorklet.addModule('/recorder.js')
      const opened = await openSource(context)
      worklet = new AudioWorkletNode(context, 'jaunty-recorder', { numberOfOutputs: 0 })
      worklet.port.onmessage = (event) => hear(event.data as { samples: Float32Array; frame: number })
      opened.node.connect(worklet)
      source = { node: opened.node, end: opened.end }
      return opened
    } catch (cause) {
      const refused = (cause as Error).name === 'NotAllowedError'
      tell(
        refused
          ? 'The browser does not let this page use the microphone. Allow it in the address bar, then try again.'
          : 'This microphone cannot be used. Choose another one.',
      )
      return null
    }
  }

  function close() {
    worklet?.port.close()
    worklet?.disconnect()
    source?.end()
    source?.node.disconnect()
    worklet = source = null
    levelDbfs.value = -90
  }

  function hear({ samples, frame }: { samples: Float32Array; frame: number }) {
    levelDbfs.value = peakDbfs(samples)
    if (!take) return
    take.firstFrame ??= frame
    const { kept, index } = take
    // The place is known once the sound runs; until then the block is kept with what is known.
    take.writing = take.writing.then(() => keep.append(kept.id, index, samples))
    take.index += 1
    recordedS.value = (take.index * samples.length) / kept.rateHz
  }

  function beep(context: AudioContext, when: number, last: boolean) {
    const tone = context.createOscillator()
    const gain = context.createGain()
    tone.frequency.value = last ? 1320 : 880
    gain.gain.setValueAtTime(0.12, when)
    gain.gain.exponentialRampToValueAtTime(0.001, when + 0.12)
    tone.connect(gain).connect(context.destination)
    tone.start(when)
    tone.stop(when + 0.13)
  }

  /** Counts in, then records while the cut plays from here. */
  async function record() {
    if (state.value !== 'idle') return
    listening.stop()
    const fromSamples = Math.round(listening.positionS.value * 48_000)
    state.value = 'opening'
    const opened = await open()
    if (!opened || state.value !== 'opening') {
      state.value = 'idle'
      return close()
    }
    const context = listening.soundClock()
    state.value = 'counting'
    for (let left = COUNT_S; left > 0; left--) {
      counting.value = left
      beep(context, context.currentTime + 0.01, false)
      await new Promise((resolve) => setTimeout(resolve, 1000))
      if (state.value !== 'counting') return close()
    }
    counting.value = 0
    const kept: keep.Kept = {
      id: crypto.randomUUID(),
      cutId: cut().id,
      atSamples: fromSamples,
      rateHz: context.sampleRate,
      startedAt: Date.now(),
    }
    await keep.begin(kept)
    take = { kept, firstFrame: null, index: 0, writing: Promise.resolve() }
    state.value = 'recording'
    recordedS.value = 0
    listening.setVolume(VOLUMES[phones.value])
    void listening.play()
    opened.start()
    // What is said with the first sample of the cut's sound belongs to that sample: the blocks
    // carry the sound clock's own frame numbers, so the place is exact but for the latencies that
    // the browser tells.
    for (let tries = 0; tries < 200 && (listening.startedAt() === null || take?.firstFrame === null); tries++)
      await new Promise((resolve) => setTimeout(resolve, 25))
    const began = listening.startedAt()
    if (take && began !== null && take.firstFrame !== null) {
      const latencyS = (context.outputLatency || 0) + opened.latencyS
      kept.atSamples = fromSamples + Math.round(take.firstFrame - (began + latencyS) * context.sampleRate)
      await keep.begin(kept)
    }
  }

  /** Ends the recording and brings it in as a take. */
  async function stop() {
    if (state.value === 'counting' || state.value === 'opening') {
      state.value = 'idle'
      return
    }
    const ended = take
    if (!ended) return
    take = null
    listening.stop()
    listening.setVolume(1)
    close()
    state.value = 'saving'
    await ended.writing
    await save(ended.kept, `Take ${cut().takes.filter((one) => one.origin === 'recorded').length + 1}.wav`)
    state.value = 'idle'
  }

  /** Brings a kept recording to the server; it leaves the browser only when it has arrived. */
  async function save(kept: keep.Kept, name: string) {
    const blocks = await keep.blocksOf(kept.id)
    // What was said before the cut begins has no place on it.
    const heard = without(blocks, Math.max(0, -kept.atSamples))
    if (!heard.length) return keep.forget(kept.id)
    const file = new File([wavOf(heard, kept.rateHz)], name, { type: 'audio/wav' })
    const place = `takes?recorded=true&atSamples=${Math.max(0, Math.round((kept.atSamples * 48_000) / kept.rateHz))}`
    if (await actions.send(place, file, () => undefined)) await keep.forget(kept.id)
    else message.warning('The recording is kept in this browser and will be brought in when the page is opened again.')
  }

  /** Brings in what an earlier page could not: after a reload, a crash, a lost connection. */
  async function recover() {
    const lost = await keep.ofCut(cut().id).catch(() => [])
    const left = lost.filter((one) => one.id !== take?.kept.id)
    if (!left.length) return
    message.info(`${count(left.length, 'recording')} that had not been brought in yet: found and kept.`, 6)
    for (const kept of left) await save(kept, `Recovered take, ${new Date(kept.startedAt).toLocaleTimeString()}.wav`)
  }

  void listDevices()
  onScopeDispose(() => {
    // Leaving the page ends the recording; its blocks are kept, and the next visit brings them in.
    const ended = take
    take = null
    close()
    listening.setVolume(1)
    if (ended) {
      listening.stop()
      void ended.writing.then(() => save(ended.kept, 'Take.wav'))
    }
  })

  return { devices, device, phones, levelDbfs, state, counting, recordedS, choose, open, record, stop, recover }
}
