import { newId } from '../../id.js';
import { maxWeight } from '../../layer/mode.js';
import type { Note } from '../../layer/notes/note.js';
import { layerById, type Project } from '../../layer/project.js';
import type { VariantLayer } from '../../layer/variant.js';
import { entryOf } from '../../record.js';

const byFrame = (a: Note, b: Note) => a.frame - b.frame;

/** Adds a note; notes stand in the order of their frames. */
export const addNote = (project: Project, note: Omit<Note, 'id'>): Project => ({
  ...project,
  notes: [...project.notes, { ...note, id: newId() }].sort(byFrame),
});

export const changeNote = (project: Project, id: string, values: Partial<Omit<Note, 'id'>>): Project => ({
  ...project,
  notes: project.notes.map((note) => (note.id === id ? { ...note, ...values } : note)).sort(byFrame),
});

export const deleteNote = (project: Project, id: string): Project => ({
  ...project,
  notes: project.notes.filter((note) => note.id !== id),
});

/** What came back of a review: notes, and what layers were turned to on which variant. */
export interface Review {
  readonly by: string;
  readonly notes: readonly Note[];
  readonly weights?: Readonly<Record<string, number>>;
  readonly variant?: string;
}

/**
 * Takes in what came back of a review: notes that are there already are replaced and keep their answers, so that a file that
 * comes twice changes nothing. What layers were turned to becomes a variant “of NAME”, on that on which it was turned.
 */
export function addReview(
  project: Project,
  { by, notes, weights = {}, variant }: Review,
): { readonly project: Project; readonly variant?: string; readonly count: number } {
  const known = new Map(project.notes.map((note) => [note.id, note]));
  const came = notes.map((note): Note => {
    const before = known.get(note.id);
    return {
      ...note,
      by: note.by || by,
      ...(before?.answer !== undefined && { answer: before.answer }),
      ...(before?.done && { done: before.done }),
    };
  });
  const ids = new Set(came.map(({ id }) => id));
  const all = [...project.notes.filter(({ id }) => !ids.has(id)), ...came].sort(byFrame);
  const withNotes = { ...project, notes: all };
  const turned = Object.entries(weights).flatMap(([id, weight]) => {
    const layer = layerById(project, id);
    return layer ? [[id, { weight: Math.min(maxWeight(layer.mode), weight) }] as const] : [];
  });
  if (turned.length === 0) return { project: withNotes, count: came.length };
  const base = project.variants.find(({ name }) => name === variant);
  const layers: Record<string, VariantLayer> = { ...base?.layers };
  for (const [id, said] of turned) layers[id] = { ...entryOf(layers, id), ...said };
  const stem = `of ${by.trim() || 'a review'}`;
  const same = project.variants.find(
    ({ name, layers: own }) => name.startsWith(stem) && JSON.stringify(own) === JSON.stringify(layers),
  );
  if (same) return { project: withNotes, variant: same.name, count: came.length };
  let name = stem;
  for (let k = 2; project.variants.some((one) => one.name === name); k++) name = `${stem} ${k}`;
  const made = { name, layers, ...(base?.range && { range: base.range }) };
  return {
    project: { ...withNotes, variants: [...project.variants, made] },
    variant: name,
    count: came.length,
  };
}
