import type { Project, Take } from '@evlay/core';
import { mappingFor, setDoubts, sourceOf, takeById } from '@evlay/core/edit';
import {
  motionOfSample,
  readStreamLine,
  recordingOf,
  type StreamHead,
  type StreamSample,
  writtenTake,
} from '@evlay/core/format';
import { fitMotion, playsOn } from '@evlay/core/match';
import { guessMetresPerUnit } from '@evlay/core/rig';
import type { Motion } from '@evlay/core/take';
import { createStore } from 'zustand/vanilla';
import type { Editor } from '../editor/editor.js';
import { setPlayback } from '../editor/session.js';
import { bringInAndTell } from './bring-in.js';

/** What is heard of a capture stage. */
export interface Listening {
  readonly state: 'off' | 'connecting' | 'live' | 'ended' | 'failed';
  readonly reason?: string;
  readonly name?: string;
  readonly fps?: number;
  /** Samples that came, that are missing between them, and of which a joint was seen badly, since it is listened or recorded. */
  readonly came: number;
  readonly lost: number;
  readonly weak: number;
  readonly recording: boolean;
}

const OFF: Listening = { state: 'off', came: 0, lost: 0, weak: 0, recording: false };

export const listening = createStore<Listening>(() => OFF);

/** What goes on while it is listened: of one stage at a time. */
interface Ear {
  readonly editor: Editor;
  readonly socket: WebSocket;
  head: StreamHead | undefined;
  latest: StreamSample | undefined;
  kept: StreamSample[];
  first: number | undefined;
  shown: number;
}

let ear: Ear | undefined;

/** Samples that a recording has at most. */
const MOST_KEPT = 200_000;

/** Listens to a capture stage at an address, and shows the character as it is captured. */
export function listen(editor: Editor, address: string): void {
  stopListening();
  let socket: WebSocket;
  try {
    socket = new WebSocket(address);
  } catch {
    listening.setState({
      ...OFF,
      state: 'failed',
      reason: `“${address}” is no address of a stage, expected ws://localhost:PORT`,
    });
    return;
  }
  const own: Ear = {
    editor,
    socket,
    head: undefined,
    latest: undefined,
    kept: [],
    first: undefined,
    shown: 0,
  };
  ear = own;
  listening.setState({ ...OFF, state: 'connecting' });
  const fail = (reason: string) => {
    if (ear !== own) return;
    socket.close();
    listening.setState({ state: 'failed', reason });
  };
  socket.addEventListener('message', ({ data }: MessageEvent<string>) => {
    if (ear !== own) return;
    try {
      hear(own, String(data));
    } catch (error) {
      fail((error as Error).message);
    }
  });
  socket.addEventListener('error', () => fail(`No stage answers at ${address}`));
  socket.addEventListener('close', () => {
    if (ear === own && ['connecting', 'live'].includes(listening.getState().state))
      listening.setState({ state: 'ended' });
  });
}

function hear(own: Ear, text: string): void {
  const line = readStreamLine(text, own.head);
  if (line.kind === 'end') {
    listening.setState({ state: 'ended' });
    return;
  }
  if (line.kind === 'head') {
    own.head = line.head;
    listening.setState({ state: 'live', name: line.head.name, fps: line.head.fps });
    return;
  }
  const { sample } = line;
  own.first ??= sample.s;
  const { came, weak, recording } = listening.getState();
  listening.setState({
    came: came + 1,
    lost: Math.max(0, sample.s - own.first + 1 - (came + 1)),
    weak: weak + (sample.weak.length > 0 ? 1 : 0),
  });
  if (recording && own.kept.length < MOST_KEPT) own.kept.push(sample);
  if (!own.latest) requestAnimationFrame(() => show(own));
  own.latest = sample;
}

/** Shows the last sample that came. */
function show(own: Ear): void {
  const { latest, head, editor } = own;
  own.latest = undefined;
  if (ear !== own || !latest || !head) return;
  setPlayback(editor.session, { live: liveTake(editor.history.project(), head, latest, own.shown++) });
}

/** A sample as a take that plays on the character of a project. */
function liveTake(project: Project, head: StreamHead, sample: StreamSample, count: number): Take {
  const motion = motionOfSample(head, sample);
  const fitted: Motion = playsOn(project.rig, motion)
    ? motion
    : fitMotion(motion, project.rig, mappingFor(project, motion));
  const id = `live ${count}`;
  return { ...fitted, id, name: head.name, source: { id, file: 'live', bytes: new Uint8Array() } };
}

/** Begins to keep what comes. */
export function record(): void {
  if (!ear) return;
  ear.kept = [];
  ear.first = undefined;
  listening.setState({ recording: true, came: 0, lost: 0, weak: 0 });
}

/** Ends a recording: it comes in as a take, fitted like any other, with what of it is doubtful. `took` is told which. */
export function keepRecording(took: (take: string) => void): void {
  const own = ear;
  listening.setState({ recording: false });
  const recording = own?.head && recordingOf(own.head, own.kept);
  if (!own?.head || !recording) return;
  const { editor, head } = own;
  own.kept = [];
  const { motion, doubts } = recording;
  const file = `${head.name.replace(/[^\p{L}\p{N} ._-]+/gu, ' ').trim() || 'capture'}.glb`;
  const { source } = writtenTake(motion, {
    name: head.name,
    file,
    metresPerUnit: guessMetresPerUnit(head.rig),
  });
  const step = Symbol('recording');
  const given = [{ path: file, file: new Blob([source.bytes as Uint8Array<ArrayBuffer>]) }];
  void bringInAndTell(editor, given, step).then((take) => {
    if (!take) return;
    editor.history.edit((project) => {
      const there = takeById(project, take.id);
      return there ? setDoubts(project, sourceOf(project, there).id, doubts) : project;
    }, step);
    took(take.id);
  });
}

/** Listens no more; what was not kept is gone. */
export function stopListening(): void {
  const own = ear;
  ear = undefined;
  own?.socket.close();
  if (own) setPlayback(own.editor.session, { live: undefined });
  listening.setState({ ...OFF });
}
