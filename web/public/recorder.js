/* Runs beside the sound: passes what the microphone hears on, in blocks of a tenth of a second. */
class Recorder extends AudioWorkletProcessor {
  constructor() {
    super()
    this.block = new Float32Array(4800)
    this.filled = 0
    this.startFrame = 0
  }

  process(inputs) {
    const input = inputs[0]
    const length = input[0] ? input[0].length : 128
    for (let n = 0; n < length; n++) {
      if (this.filled === 0) this.startFrame = currentFrame + n
      let sum = 0
      for (const channel of input) sum += channel[n]
      this.block[this.filled++] = input.length ? sum / input.length : 0
      if (this.filled === this.block.length) {
        this.port.postMessage({ samples: this.block.slice(), frame: this.startFrame })
        this.filled = 0
      }
    }
    return true
  }
}

registerProcessor('jaunty-recorder', Recorder)
