// The practice bench: what a stethoscope hears, put together from tones when somebody asks to listen. Nothing sounds by itself.
"use strict";

(() => {
  const SECONDS = 4;
  let air = null;
  let playing = null;

  // One blow: a tone that dies away, with some noise at its beginning.
  const blow = (into, at, hertz, long, loud, hiss) => {
    const level = air.createGain();
    level.gain.setValueAtTime(loud, at);
    level.gain.exponentialRampToValueAtTime(0.001, at + long);
    level.connect(into);
    const tone = air.createOscillator();
    tone.frequency.setValueAtTime(hertz, at);
    tone.frequency.exponentialRampToValueAtTime(hertz * 0.6, at + long);
    tone.connect(level);
    tone.start(at);
    tone.stop(at + long);
    if (!hiss) return;
    const noise = air.createBufferSource();
    noise.buffer = air.createBuffer(1, Math.ceil(air.sampleRate * 0.03), air.sampleRate);
    const samples = noise.buffer.getChannelData(0);
    for (let i = 0; i < samples.length; i += 1) samples[i] = (Math.random() * 2 - 1) * hiss;
    noise.connect(level);
    noise.start(at);
  };

  // The engine idles under all of them: at 750 rpm it fires 25 times a second, and its crank turns 12.5 times.
  const TURN_S = 60 / 750;
  const idle = (into, from) => { for (let at = 0; at < SECONDS; at += TURN_S / 2) blow(into, from + at, 55, 0.05, 0.06, 0); };
  // By the place of the outcome: nothing, a tick on top, a knock below, a whine, a rattle.
  const HEARD = [
    () => {},
    (into, from) => { for (let at = 0; at < SECONDS; at += 2 * TURN_S) blow(into, from + at, 2600, 0.03, 0.16, 0.3); },
    (into, from) => { for (let at = 0; at < SECONDS; at += TURN_S) blow(into, from + at, 95, 0.11, 0.6, 0.15); },
    (into, from) => {
      const tone = air.createOscillator();
      const level = air.createGain();
      tone.type = "sawtooth";
      tone.frequency.setValueAtTime(420, from);
      tone.frequency.linearRampToValueAtTime(900, from + SECONDS * 0.6);
      tone.frequency.linearRampToValueAtTime(420, from + SECONDS);
      level.gain.value = 0.06;
      tone.connect(level).connect(into);
      tone.start(from);
      tone.stop(from + SECONDS);
    },
    (into, from) => {
      for (let at = 0; at < 2.4; at += 0.025 + Math.random() * 0.05) blow(into, from + at, 900 + Math.random() * 900, 0.03, 0.25 * (1 - at / 2.6), 0.4);
    },
  ];

  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-heard]");
    if (!button) return;
    try {
      air ??= new AudioContext();
      playing?.disconnect();
      playing = air.createGain();
      playing.connect(air.destination);
      const from = air.currentTime + 0.05;
      idle(playing, from);
      HEARD[button.dataset.heard]?.(playing, from);
      document.body.dataset.heard = button.dataset.heard;
    } catch { /* no sound on this device; the words say the same */ }
  });
})();
