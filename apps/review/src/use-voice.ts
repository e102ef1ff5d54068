import type { Voice } from '@evlay/core';
import { useRef, useState } from 'react';

/** Bits a second of what is said: speech is understood, and three minutes are small. */
const BITS = 24_000;

/** Milliseconds after which what was said so far is handed over: before the first of them nothing is recorded. */
const PART = 100;

/** A recording that is under way, and what it has handed over. */
interface Recording {
  readonly recorder: MediaRecorder;
  readonly parts: Blob[];
}

/** Records what is said into the microphone for a note. It is recording from when there is something of it. */
export function useVoice() {
  const [recording, setRecording] = useState(false);
  const [refused, setRefused] = useState<string>();
  const [said, setSaid] = useState<Voice>();
  const current = useRef<Recording>(undefined);
  const asking = useRef(false);

  const start = async (): Promise<void> => {
    if (asking.current) return;
    asking.current = true;
    try {
      setRefused(undefined);
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
      const recorder = new MediaRecorder(stream, { audioBitsPerSecond: BITS });
      const own: Recording = { recorder, parts: [] };
      recorder.addEventListener('dataavailable', ({ data }) => {
        if (data.size === 0) return;
        own.parts.push(data);
        if (current.current === own) setRecording(true);
      });
      current.current = own;
      recorder.start(PART);
    } catch {
      setRefused('The microphone is not to be had here: write the note instead.');
    } finally {
      asking.current = false;
    }
  };
  /** Ends the recording that is under way; gives what was said, or what was said before it. */
  const stop = async (): Promise<Voice | undefined> => {
    const own = current.current;
    if (!own) return said;
    current.current = undefined;
    setRecording(false);
    const { recorder, parts } = own;
    // Where the microphone was taken away it has ended by itself.
    if (recorder.state !== 'inactive')
      await new Promise((resolve) => {
        recorder.addEventListener('stop', resolve, { once: true });
        recorder.stop();
      });
    for (const track of recorder.stream.getTracks()) track.stop();
    // What ends before it has begun holds nothing, which no player reads.
    return parts.length > 0 ? voiceOf(new Blob(parts, { type: recorder.mimeType })) : said;
  };
  return {
    recording,
    said: said !== undefined,
    refused,
    toggle: () => void (current.current ? stop().then(setSaid) : start()),
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
