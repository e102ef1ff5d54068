import type { Voice } from '@evlay/core';
import { useRef, useState } from 'react';

/** Bits a second of what is said: speech is understood, and three minutes are small. */
const BITS = 24_000;

/** Records what is said into the microphone for a note. */
export function useVoice() {
  const [recording, setRecording] = useState(false);
  const [refused, setRefused] = useState<string>();
  const [said, setSaid] = useState<Voice>();
  const recorder = useRef<MediaRecorder>(undefined);

  const start = async (): Promise<void> => {
    try {
      setRefused(undefined);
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
      recorder.current = new MediaRecorder(stream, { audioBitsPerSecond: BITS });
      recorder.current.start();
      setRecording(true);
    } catch {
      setRefused('The microphone is not to be had here: write the note instead.');
    }
  };
  /** Ends the recording that is under way; gives what was said, or what was said before it. */
  const stop = async (): Promise<Voice | undefined> => {
    const own = recorder.current;
    if (!own) return said;
    recorder.current = undefined;
    setRecording(false);
    const chunk = await new Promise<Blob>((resolve) => {
      own.addEventListener('dataavailable', ({ data }) => resolve(data), { once: true });
      own.stop();
    });
    for (const track of own.stream.getTracks()) track.stop();
    return voiceOf(chunk);
  };
  return {
    recording,
    said: said !== undefined,
    refused,
    toggle: () => void (recorder.current ? stop().then(setSaid) : start()),
    /** Gives what was said to a note; the next one begins with nothing. */
    async take(): Promise<Voice | undefined> {
      const voice = await stop();
      setSaid(undefined);
      return voice;
    },
  };
}

async function voiceOf(blob: Blob): Promise<Voice> {
  const url = await new Promise<string>((resolve) => {
    const reader = new FileReader();
    reader.onload = () => resolve(reader.result as string);
    reader.readAsDataURL(blob);
  });
  const type = blob.type.replace(/\s/g, '') || 'audio/webm';
  return { type, data: url.slice(url.indexOf(',') + 1) };
}
