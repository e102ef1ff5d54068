import { findNodeAtLocation, type Node, parseTree } from 'jsonc-parser';

/**
 * Changes JSON as text, so that everything that is not changed stays byte for byte: the order of fields, how numbers
 * are written, white space. Changes are collected and made at once.
 */
export interface JsonEdits {
  /** Sets a field of an object, or an element that an array has. */
  readonly set: (path: readonly (string | number)[], value: unknown) => void;
  /** Takes a field out of an object, if it is there. */
  readonly remove: (path: readonly (string | number)[]) => void;
  /** Adds elements to the end of an array of the topmost object, which is made where it is missing. */
  readonly append: (field: string, elements: readonly unknown[]) => void;
  /** The text with all changes. */
  readonly text: () => string;
}

/** Starts changes of a JSON text whose topmost value is an object. */
export function editJson(json: string): JsonEdits {
  const root = parseTree(json)!;
  const splices: { at: number; length: number; put: string }[] = [];
  const added = new Map<Node, string[]>();
  const removed = new Set<Node>();

  /** Fields that an object gets more are put before its closing brace, together. */
  const addTo = (container: Node, text: string) => {
    added.set(container, [...(added.get(container) ?? []), text]);
  };
  const at = (path: readonly (string | number)[]): Node =>
    path.length === 0 ? root : findNodeAtLocation(root, [...path])!;

  return {
    set(path, value) {
      const node = findNodeAtLocation(root, [...path]);
      const text = JSON.stringify(value);
      if (node) splices.push({ at: node.offset, length: node.length, put: text });
      else addTo(at(path.slice(0, -1)), `${JSON.stringify(path[path.length - 1])}:${text}`);
    },
    remove(path) {
      const field = findNodeAtLocation(root, [...path])?.parent;
      if (!field) return;
      removed.add(field);
      const siblings = field.parent!.children!;
      const i = siblings.indexOf(field);
      // The comma after it goes along, or the one before it where it is the last.
      const from =
        i + 1 === siblings.length && i > 0 ? siblings[i - 1].offset + siblings[i - 1].length : field.offset;
      const to = i + 1 < siblings.length ? siblings[i + 1].offset : field.offset + field.length;
      splices.push({ at: from, length: to - from, put: '' });
    },
    append(field, elements) {
      if (elements.length === 0) return;
      const array = findNodeAtLocation(root, [field]);
      const texts = elements.map((element) => JSON.stringify(element));
      if (array) for (const text of texts) addTo(array, text);
      else addTo(root, `${JSON.stringify(field)}:[${texts.join(',')}]`);
    },
    text() {
      const all = [...splices];
      for (const [container, texts] of added) {
        const children = container.children ?? [];
        const last = children[children.length - 1];
        const stays = children.some((child) => !removed.has(child));
        const end = last ? last.offset + last.length : container.offset + 1;
        all.push({ at: end, length: 0, put: (stays ? ',' : '') + texts.join(',') });
      }
      let out = '';
      let done = 0;
      for (const { at: start, length, put } of all.sort((a, b) => a.at - b.at)) {
        out += json.slice(done, start) + put;
        done = start + length;
      }
      return out + json.slice(done);
    },
  };
}
