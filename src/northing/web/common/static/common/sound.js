// Two sounds that are told apart with the back turned: a short high one is right, a long low one is wrong.
let speaker = null;

export function sound(right) {
  const Context = window.AudioContext;
  if (!Context) return;
  try {
    speaker ??= new Context();
    const tone = speaker.createOscillator();
    const loud = speaker.createGain();
    tone.frequency.value = right ? 1320 : 220;
    loud.gain.value = 0.12;
    tone.connect(loud).connect(speaker.destination);
    tone.start();
    tone.stop(speaker.currentTime + (right ? 0.08 : 0.35));
  } catch {
    // Without a loudspeaker the words remain.
  }
}
