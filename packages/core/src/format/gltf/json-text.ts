import { fieldOf, type JsonField, type JsonNode, jsonTree } from '../json.js';

/**
 * Changes JSON as text, so that everything that is not changed stays byte for byte: the order of fields, how numbers
 * are written, white space. Changes are collected and made at once.
 */
export interface JsonEdits {
  /** Sets a field of an object, or an element that an array has. */
  readonly set: (path: readonly (string | number)[], value: unknown) => void;
  /** Takes a field out of an object, if it is there. */
  readonly remove: (path: readonly (string | number)[]) => void;
  /** Adds elements to the end of an array of the topmost object, or of an object in it, which is made where it is missing. */
  readonly append: (field: string | readonly (string | number)[], elements: readonly unknown[]) => void;
  /** The text with all changes. */
  readonly text: () => string;
}

/** Starts changes of a JSON text whose topmost value is an object. Throws {@link FileError} where it is no JSON. */
export function editJson(json: string): JsonEdits {
  const root = jsonTree(json, 'a glTF file');
  const splices: { at: number; length: number; put: string }[] = [];
  const added = new Map<JsonNode, string[]>();
  const removed = new Set<JsonField>();

  /** Fields that an object gets more are put before its closing brace, together. */
  const addTo = (container: JsonNode, text: string) => {
    const texts = added.get(container);
    if (texts) texts.push(text);
    else added.set(container, [text]);
  };
  const find = (path: readonly (string | number)[]): JsonNode | undefined =>
    path.reduce<JsonNode | undefined>((node, name) => node && fieldOf(node, name)?.value, root);

  return {
    set(path, value) {
      const node = find(path);
      const text = JSON.stringify(value);
      if (node) splices.push({ at: node.start, length: node.end - node.start, put: text });
      else addTo(find(path.slice(0, -1))!, `${JSON.stringify(path[path.length - 1])}:${text}`);
    },
    remove(path) {
      const parent = find(path.slice(0, -1));
      const name = path[path.length - 1];
      const siblings = parent?.children ?? [];
      let before: JsonField | undefined;
      for (const [i, field] of siblings.entries()) {
        if (field.name !== name) {
          if (!removed.has(field)) before = field;
          continue;
        }
        removed.add(field);
        // The comma after it goes along, or the one before it where it is the last.
        const last = i + 1 === siblings.length;
        const from = last && before ? before.value.end : field.start;
        const to = last ? field.value.end : siblings[i + 1].start;
        splices.push({ at: from, length: to - from, put: '' });
      }
    },
    append(field, elements) {
      if (elements.length === 0) return;
      const path = typeof field === 'string' ? [field] : field;
      const array = find(path);
      const texts = elements.map((element) => JSON.stringify(element));
      if (array) for (const text of texts) addTo(array, text);
      else addTo(find(path.slice(0, -1))!, `${JSON.stringify(path[path.length - 1])}:[${texts.join(',')}]`);
    },
    text() {
      const all = [...splices];
      for (const [container, texts] of added) {
        const { children } = container;
        const last = children[children.length - 1];
        const stays = children.some((child) => !removed.has(child));
        const end = last ? last.value.end : container.start + 1;
        all.push({ at: end, length: 0, put: (stays ? ',' : '') + texts.join(',') });
      }
      const texts: string[] = [];
      let done = 0;
      for (const { at, length, put } of all.sort((a, b) => a.at - b.at)) {
        if (at > done) texts.push(json.slice(done, at));
        texts.push(put);
        done = Math.max(done, at + length);
      }
      texts.push(json.slice(done));
      return texts.join('');
    },
  };
}
