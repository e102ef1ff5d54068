import { existsSync, mkdirSync } from 'node:fs';
import { createServer } from 'node:http';
import { basename, join } from 'node:path';
import type { Take } from '@evlay/core';
import { FileError, kindOf, readAnyTake, STREAM_END, streamHead, streamSample } from '@evlay/core/format';
import type { WebSocket } from 'ws';
import { readFile, tellWarnings, writeFile } from './files.js';

interface StageFlags {
  to?: string;
  count: number;
  every: number;
  stream?: number;
  lose: number;
  weak: number;
  once?: boolean;
}

/** `evlay stage`: stands in for a capture stage. It writes a take to a folder again and again, or sends its samples as they would be captured. */
export async function stageCommand(path: string, flags: StageFlags): Promise<void> {
  const { to, stream } = flags;
  if (to === undefined && stream === undefined)
    throw new FileError(path, 'nothing is asked of it, expected --to FOLDER or --stream PORT');
  const bytes = readFile(path);
  const { take, warnings } = await readAnyTake(path, bytes);
  tellWarnings(warnings);
  await Promise.all([
    ...(to === undefined ? [] : [writeTakes(path, bytes, { ...flags, to })]),
    ...(stream === undefined ? [] : [streamTake(take, stream, flags)]),
  ]);
}

const pause = (seconds: number): Promise<void> => new Promise((done) => setTimeout(done, 1000 * seconds));

/** Writes copies of a take, each under a name that is not there yet. */
async function writeTakes(
  path: string,
  bytes: Uint8Array,
  { to, count, every }: StageFlags & { to: string },
): Promise<void> {
  mkdirSync(to, { recursive: true });
  const ending = kindOf(path)!.ending;
  const stem = basename(path).slice(0, -ending.length);
  for (let k = 0, number = 1; k < count; k++) {
    if (k > 0) await pause(every);
    const fileOf = (n: number) => join(to, `${stem}-${String(n).padStart(3, '0')}${ending}`);
    while (existsSync(fileOf(number))) number++;
    await writeFile(fileOf(number), bytes);
    process.stdout.write(`${fileOf(number)}\n`);
  }
}

/** Of which joint it is said that it was seen badly, where that is asked for. */
const SEEN_BADLY = 0.7;

/** Sends the samples of a take at their times to whoever listens, over and over, until it is interrupted. */
async function streamTake(take: Take, port: number, { lose, weak, once }: StageFlags): Promise<void> {
  // Only who streams waits for it to be loaded.
  const { WebSocketServer } = await import('ws');
  const server = createServer();
  const sockets = new WebSocketServer({ server });
  await new Promise<void>((ready, refused) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      refused(new FileError(`port ${port}`, `it cannot be listened on (${error.code ?? error.message})`)),
    );
    server.listen(port, '127.0.0.1', ready);
  });
  process.stderr.write(`evlay: streams ${take.name} on ws://localhost:${port}; Ctrl+C ends it\n`);
  const hand = take.rig.joints[Math.floor(SEEN_BADLY * (take.rig.joints.length - 1))].name;
  sockets.on('connection', (socket) => {
    void send(socket, take, { lose, weak, hand }).then(() => {
      socket.close();
      if (once) server.close();
    });
  });
  await new Promise<void>((done) => {
    server.on('close', done);
    for (const signal of ['SIGINT', 'SIGTERM'] as const)
      process.once(signal, () => {
        for (const socket of sockets.clients) socket.terminate();
        sockets.close();
        server.close();
      });
  });
}

/** Sends one performance at its own pace. Which samples are lost or weak is the same each time. */
async function send(
  socket: WebSocket,
  take: Take,
  { lose, weak, hand }: { lose: number; weak: number; hand: string },
): Promise<void> {
  socket.send(streamHead(take));
  const begun = Date.now();
  const [draws, others] = [drawn(1), drawn(2)];
  for (let s = 0; s < take.count && socket.readyState === socket.OPEN; s++) {
    const wait = s * take.interval - (Date.now() - begun) / 1000;
    if (wait > 0.004) await pause(wait);
    if (draws(s) * 100 < lose && s > 0 && s + 1 < take.count) continue;
    socket.send(streamSample(take, s, others(s) * 100 < weak ? [hand] : []));
  }
  if (socket.readyState === socket.OPEN) socket.send(STREAM_END);
}

/** Numbers from 0 to 1, one for each sample, other ones for each seed: the mix of MurmurHash3 over 32 bits (Appleby). */
const drawn =
  (seed: number) =>
  (s: number): number => {
    let h = Math.imul(s + 1, 0xcc9e2d51) ^ Math.imul(seed, 0x9e3779b1);
    h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
    h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
    return ((h ^ (h >>> 16)) >>> 0) / 2 ** 32;
  };
