// A short click for each turn of a chase: lower for a link that went, higher for one that came. No file is loaded for it.
let sounds: AudioContext | null = null;

export function click(up: boolean): void {
  sounds ??= new AudioContext();
  const tone = sounds.createOscillator();
  const volume = sounds.createGain();
  tone.frequency.value = up ? 1400 : 700;
  volume.gain.setValueAtTime(0.4, sounds.currentTime);
  volume.gain.exponentialRampToValueAtTime(0.001, sounds.currentTime + 0.08);
  tone.connect(volume).connect(sounds.destination);
  tone.start();
  tone.stop(sounds.currentTime + 0.09);
}
