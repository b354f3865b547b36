<!-- Records a voice in the page: asks for the microphone, shows how loud it is, and hands over what was said. -->
<script lang="ts">
  import { short } from '$lib/timecode';
  import Button from '$lib/ui/Button.svelte';
  import { onDestroy } from 'svelte';

  let { made, left }: { made: (voice: Blob) => void; left: () => void } = $props();

  const most = 600; // seconds, as the server keeps
  let stage = $state<'asks' | 'records' | 'refused'>('asks');
  let why = $state('');
  let levels = $state<number[]>(Array.from({ length: 28 }, () => 0));
  let seconds = $state(0);
  let recorder: MediaRecorder | undefined;
  let stream: MediaStream | undefined;
  let sound: AudioContext | undefined;
  let timer: ReturnType<typeof setInterval> | undefined;
  let wanted = true;

  const refusals: Record<string, string> = {
    NotAllowedError: 'The browser may not use the microphone here. Allow it beside the address, then try again.',
    NotFoundError: 'There is no microphone. Plug one in, then try again; or write instead.',
    NotReadableError: 'Another program holds the microphone. Close it there, then try again.',
  };

  async function begin() {
    stage = 'asks';
    wanted = true;
    if (!navigator.mediaDevices?.getUserMedia || !('MediaRecorder' in window)) {
      stage = 'refused';
      why = 'This browser records only over a secure connection (https). Write instead, or attach a picture.';
      return;
    }
    try {
      stream = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: true, noiseSuppression: true } });
    } catch (thrown) {
      stage = 'refused';
      why = refusals[(thrown as DOMException).name] ?? 'The microphone cannot be used. Write instead.';
      return;
    }
    const chunks: Blob[] = [];
    recorder = new MediaRecorder(stream);
    recorder.ondataavailable = (event) => chunks.push(event.data);
    recorder.onstop = () => {
      const whole = new Blob(chunks, { type: recorder?.mimeType ?? '' });
      const said = wanted && whole.size > 0 && seconds >= 0.3;
      end();
      if (said) made(whole);
      else left();
    };
    recorder.start(1000); // each second by itself, so that a lost page loses no more
    stage = 'records';
    listen(stream);
  }
  function listen(from: MediaStream) {
    sound = new AudioContext();
    const meter = sound.createAnalyser();
    sound.createMediaStreamSource(from).connect(meter);
    const samples = new Float32Array(meter.fftSize);
    const began = performance.now();
    timer = setInterval(() => {
      meter.getFloatTimeDomainData(samples);
      const rms = Math.sqrt(samples.reduce((sum, v) => sum + v * v, 0) / samples.length);
      levels = [...levels.slice(1), Math.min(1, Math.max(0, (20 * Math.log10(rms || 1e-6) + 60) / 54))];
      seconds = (performance.now() - began) / 1000;
      if (seconds >= most) stop();
    }, 80);
  }
  function end() {
    clearInterval(timer);
    stream?.getTracks().forEach((track) => track.stop());
    void sound?.close().catch(() => undefined);
    stream = sound = timer = undefined;
  }
  function stop() {
    if (recorder?.state === 'recording') recorder.stop();
  }
  function cancel() {
    wanted = false;
    if (recorder?.state === 'recording') recorder.stop();
    else {
      end();
      left();
    }
  }
  onDestroy(() => {
    wanted = false;
    if (recorder?.state === 'recording') {
      recorder.onstop = null;
      recorder.stop();
    }
    end();
  });
  void begin();
</script>

<div class="voice" role="group" aria-label="Voice">
  {#if stage === 'refused'}
    <p class="problem" role="alert">{why}</p>
    <Button look="quiet" onclick={() => void begin()}>Try again</Button>
    <Button look="quiet" onclick={cancel}>Leave it</Button>
  {:else}
    <span class="levels" aria-hidden="true">
      {#each levels as level, i (i)}<i style:height="{8 + level * 92}%"></i>{/each}
    </span>
    <span class="figure" role="status">{stage === 'asks' ? 'Waiting for the microphone' : short(seconds)}</span>
    {#if stage === 'records'}<Button look="main" onclick={stop}>That is it</Button>{/if}
    <Button look="quiet" onclick={cancel}>Leave it</Button>
  {/if}
</div>

<style>
  .voice {
    display: flex;
    align-items: center;
    flex-wrap: wrap;
    gap: var(--s-4);
    padding: var(--s-2) var(--s-3);
  }
  .levels {
    display: flex;
    align-items: center;
    gap: var(--s-0);
    height: 30px;
  }
  .levels i {
    width: 4px;
    border-radius: 2px;
    background: var(--late);
  }
</style>
