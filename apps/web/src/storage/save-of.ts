import { characterIn, figuresIn, type Layer, type Project, type Take, takeOf } from '@evlay/core';
import { layerText, projectJsonText, stackHead } from '@evlay/core/format';
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { inPieces, KnownPieces, type PiecedText, piecesOf } from './pieces.js';
import { type KeptState, listsOf, type Save, type StoredFile, VERSION } from './record.js';

/** Steps of the history that are kept over a reload. */
const KEPT_STEPS = 100;

const fileDigests = new WeakMap<Uint8Array, string>();

/** The digest of a file's bytes (SHA-256), worked out once. */
export function digestOf(bytes: Uint8Array): string {
  let digest = fileDigests.get(bytes);
  if (digest === undefined) {
    digest = bytesToHex(sha256(bytes));
    fileDigests.set(bytes, digest);
  }
  return digest;
}

/**
 * The digest of a file's bytes, as {@link digestOf} has it, by the browser's own code where it lets the page have that
 * (Web Cryptography, in secure contexts).
 */
export async function digestOfLarge(bytes: Uint8Array): Promise<string> {
  const { subtle } = globalThis.crypto;
  if (subtle && !fileDigests.has(bytes))
    fileDigests.set(bytes, bytesToHex(new Uint8Array(await subtle.digest('SHA-256', bytes as BufferSource))));
  return digestOf(bytes);
}

/** Takes over a digest that was worked out elsewhere, so that the page need not go through a large file. */
export const knowDigest = (bytes: Uint8Array, digest: string): void => void fileDigests.set(bytes, digest);

/** The digest of what a state says, from the digests of its pieces. */
export const digestOfState = (state: KeptState): string =>
  bytesToHex(sha256(new TextEncoder().encode(JSON.stringify(state))));

/** A state with the pieces that it is kept in. */
interface Kept {
  readonly digest: string;
  readonly state: KeptState;
  readonly texts: readonly PiecedText[];
}

const keptOf = new WeakMap<Project, Kept>();
/** Layers in pieces, with the takes that they may name. */
const layersInPieces = new WeakMap<Layer, { readonly takes: readonly Take[]; readonly text: PiecedText }>();

function layerInPieces(
  layer: Layer,
  takes: readonly Take[],
  fileOf: (id: string) => string,
  pieces: KnownPieces,
): PiecedText {
  const known = layersInPieces.get(layer);
  if (known && (known.takes === takes || !takeOf(layer))) return known.text;
  const text = inPieces(layerText(layer, takes, fileOf), pieces);
  layersInPieces.set(layer, { takes, text });
  return text;
}

/** What a project is kept as. `beside` is that of a state next to it, with which it has most pieces in common. */
function stateOf(project: Project, beside?: Kept): Kept {
  let known = keptOf.get(project);
  if (!known) {
    const pieces = new KnownPieces(beside?.texts ?? []);
    // A model of a prop is called by the id of its file.
    const fileOf = (id: string) => project.takes.find((take) => take.id === id)?.source.id ?? id;
    const head = inPieces(stackHead(project, fileOf), pieces);
    const layers = project.layers.map((layer) => layerInPieces(layer, project.takes, fileOf, pieces));
    const json = inPieces(projectJsonText(project, fileOf), pieces);
    const state: KeptState = {
      version: VERSION,
      name: project.name,
      head: head.list,
      layers: layers.map(({ list }) => list),
      json: json.list,
    };
    known = { digest: digestOfState(state), state, texts: [head, ...layers, json] };
    keptOf.set(project, known);
  }
  return known;
}

/** Takes over what a project that was read is kept as, so that it is not put into pieces again. */
export function knowState(
  project: Project,
  state: KeptState,
  pieceOf: (digest: string) => string | undefined,
): void {
  const texts = listsOf(state).map((list): PiecedText => {
    const all = piecesOf(list, pieceOf);
    return { list, pieces: new Map(all.map((digest) => [digest, pieceOf(digest) ?? ''])) };
  });
  keptOf.set(project, { digest: digestOfState(state), state, texts });
  const layers = texts.slice(1, -1);
  for (const [k, layer] of project.layers.entries())
    if (layers[k]) layersInPieces.set(layer, { takes: project.takes, text: layers[k] });
}

/** A take whose samples were not made yet has no file of its own; it is made of its source again. */
const hasFile = ({ source }: Take): boolean => source.bytes.length > 0;

/** All that a save of a project has to have on disk, without waiting for anything. */
export function saveOf(
  id: string,
  project: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
): Save {
  const [before, after] = [past.slice(-KEPT_STEPS), future.slice(0, KEPT_STEPS)];
  const all = [...before, project, ...after];
  const kept: Kept[] = [];
  for (const one of all) kept.push(stateOf(one, kept[kept.length - 1]));
  const states = new Map(kept.map(({ digest, state }) => [digest, state]));
  const pieces = new Map<string, string>();
  for (const text of new Map(kept.flatMap(({ texts }) => texts.map((one) => [one.list, one]))).values())
    for (const [digest, piece] of text.pieces) pieces.set(digest, piece);
  const files = new Map<string, Uint8Array>();
  const named = new Map<string, StoredFile>();
  // The steps before and after may play takes that the project does not play now.
  for (const { source } of all.flatMap(({ takes }) => takes).filter(hasFile)) {
    if (named.has(source.id)) continue;
    const digest = digestOf(source.bytes);
    named.set(source.id, { id: source.id, file: source.file, digest });
    files.set(digest, source.bytes);
  }
  for (const { model } of all.flatMap(({ scene }) => scene.props)) {
    if (!model || named.has(model.id)) continue;
    const digest = digestOf(model.bytes);
    named.set(model.id, { id: model.id, file: model.file, digest });
    files.set(digest, model.bytes);
  }
  const { figure } = characterIn(project.scene);
  for (const own of all.flatMap(({ scene }) => figuresIn(scene))) files.set(digestOf(own.bytes), own.bytes);
  // The first is named by itself; a state names the files of others by their ids.
  for (const { name, figure: own } of all.flatMap(({ scene }) => scene.characters.slice(1)))
    if (own && !named.has(own.id))
      named.set(own.id, { id: own.id, file: `${name}.glb`, digest: digestOf(own.bytes) });
  return {
    record: {
      id,
      name: project.name,
      saved: Date.now(),
      state: stateOf(project).digest,
      past: before.map((one) => stateOf(one).digest),
      future: after.map((one) => stateOf(one).digest),
      files: [...named.values()],
      layers: project.layers.length - 1,
      seconds: (project.range[1] - project.range[0]) / project.fps,
      ...(figure && { character: { id: figure.id, digest: digestOf(figure.bytes) } }),
    },
    states,
    pieces,
    files,
  };
}
