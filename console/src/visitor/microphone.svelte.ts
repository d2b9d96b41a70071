import { say } from "../words";

/** Records what is spoken into the microphone, and shows how loud it is. */
export class Microphone {
  state = $state<"off" | "asking" | "on" | "paused">("off");
  /** How loud it is now, 0 to 1. */
  level = $state(0);
  seconds = $state(0);
  problem = $state("");
  #recorder: MediaRecorder | null = null;
  #pieces: Blob[] = [];
  #context: AudioContext | null = null;
  #frame = 0;
  #since = 0;
  #before = 0;

  /** Whether there can be a microphone: only where the page is called safely. */
  static get possible() {
    return !!navigator.mediaDevices?.getUserMedia && "MediaRecorder" in window;
  }

  async start() {
    this.problem = "";
    if (!Microphone.possible) {
      this.problem = say.sound.microphoneUnsafe;
      return;
    }
    this.state = "asking";
    try {
      const stream = await navigator.mediaDevices.getUserMedia({
        audio: { echoCancellation: true, noiseSuppression: true, channelCount: 1 },
      });
      if (this.state !== "asking") return stream.getTracks().forEach((t) => t.stop());
      const kind = ["audio/webm;codecs=opus", "audio/mp4", "audio/ogg;codecs=opus"].find((k) =>
        MediaRecorder.isTypeSupported(k),
      );
      this.#recorder = new MediaRecorder(stream, kind ? { mimeType: kind } : {});
      this.#pieces = [];
      this.#recorder.ondataavailable = (e) => e.data.size && this.#pieces.push(e.data);
      this.#recorder.start(1000);
      this.#before = 0;
      this.#since = performance.now();
      this.#listen(stream);
      this.state = "on";
    } catch (e) {
      this.state = "off";
      this.problem =
        e instanceof DOMException && e.name === "NotAllowedError"
          ? say.sound.microphoneRefused
          : say.sound.microphoneNone;
    }
  }

  #listen(stream: MediaStream) {
    this.#context = new AudioContext();
    const analyser = this.#context.createAnalyser();
    analyser.fftSize = 512;
    this.#context.createMediaStreamSource(stream).connect(analyser);
    const samples = new Float32Array(analyser.fftSize);
    const look = () => {
      analyser.getFloatTimeDomainData(samples);
      const loud = Math.sqrt(samples.reduce((sum, v) => sum + v * v, 0) / samples.length);
      // From -54 dB on, as ears hear it.
      const level =
        this.state === "on" ? Math.min(1, Math.max(0, 1 + (20 * Math.log10(loud + 1e-6)) / 54)) : 0;
      this.level = Math.max(level, this.level * 0.85);
      if (this.state === "on") this.seconds = (this.#before + performance.now() - this.#since) / 1000;
      this.#frame = requestAnimationFrame(look);
    };
    look();
  }

  pause() {
    this.#recorder?.pause();
    this.#before += performance.now() - this.#since;
    this.state = "paused";
  }

  goOn() {
    this.#recorder?.resume();
    this.#since = performance.now();
    this.state = "on";
  }

  /** Ends the recording and returns it; null if there is none. */
  async stop(name: string): Promise<File | null> {
    const recorder = this.#recorder;
    if (!recorder || recorder.state === "inactive") {
      this.end();
      return null;
    }
    await new Promise<void>((ok) => {
      recorder.onstop = () => ok();
      recorder.stop();
    });
    const kind = recorder.mimeType.split(";")[0] || "audio/webm";
    const file = new File(this.#pieces, `${name}.${kind === "audio/mp4" ? "m4a" : kind.split("/")[1]}`, {
      type: kind,
    });
    this.end();
    return file.size ? file : null;
  }

  /** Lets go of the microphone. */
  end() {
    cancelAnimationFrame(this.#frame);
    if (this.#recorder) {
      if (this.#recorder.state !== "inactive") this.#recorder.stop();
      this.#recorder.stream.getTracks().forEach((t) => t.stop());
    }
    void this.#context?.close();
    this.#recorder = this.#context = null;
    this.state = "off";
    this.level = 0;
    this.seconds = 0;
  }
}
