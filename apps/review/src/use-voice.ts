import type { Voice } from '@evlay/core';
import { useRef, useState } from 'react';

/** Records what is said into the microphone for a note. */
export function useVoice() {
  const [recording, setRecording] = useState(false);
  const [refused, setRefused] = useState<string>();
  const [said, setSaid] = useState<Voice>();
  const recorder = useRef<MediaRecorder>(undefined);

  const stop = async (): Promise<Voice | undefined> => {
    const own = recorder.current;
    recorder.current = undefined;
    setRecording(false);
    if (!own) {
      setSaid(undefined);
      return said;
    }
    const chunk = await new Promise<Blob>((resolve) => {
      own.addEventListener('dataavailable', ({ data }) => resolve(data), { once: true });
      own.stop();
    });
    for (const track of own.stream.getTracks()) track.stop();
    return voiceOf(chunk);
  };
  const toggle = async (): Promise<void> => {
    if (recorder.current) {
      setSaid(await stop());
      return;
    }
    try {
      setRefused(undefined);
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
      recorder.current = new MediaRecorder(stream, { audioBitsPerSecond: 24_000 });
      recorder.current.start();
      setRecording(true);
    } catch {
      setRefused('The microphone is not to be had here: write the note instead.');
    }
  };
  return { recording: recording || said !== undefined, refused, toggle, stop };
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
