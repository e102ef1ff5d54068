import { cut, FileError } from './error.js';
import { checkLimit, LIMITS } from './limits.js';

/** A value of a JSON text with its place in it, in characters. */
export interface JsonNode {
  readonly kind: 'object' | 'array' | 'value';
  readonly start: number;
  /** Behind its last character. */
  end: number;
  /** Elements of an array, fields of an object. */
  readonly children: JsonField[];
}

/** A field of an object, or an element of an array, whose name is then its place. */
export interface JsonField {
  readonly name: string | number;
  /** Where the name begins; of an element, where it begins itself. */
  readonly start: number;
  readonly value: JsonNode;
}

/** A list or an object that is not closed yet, with the name of its latest field and where that begins. */
interface Open {
  readonly node: JsonNode;
  name: string;
  start: number;
}

const NONE: JsonField[] = [];

const NUMBER = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][-+]?\d+)?/y;
/** What ends a text, begins an escape, or must not stand in one. */
const STRING_STOP = /["\\]|\p{Cc}/gu;
const ESCAPE = /\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4})/y;
const NAMES = ['true', 'false', 'null'];

/**
 * Parses a JSON text (RFC 8259). Throws {@link FileError} that names the line where it is none, and what it exceeds of
 * {@link LIMITS}: it is looked through first, so that nothing is made of a text that is refused.
 */
export function parseJson(text: string, expected: string): unknown {
  walk(text, expected, false);
  return JSON.parse(text);
}

/** Finds where everything stands in a JSON text. Throws as {@link parseJson} does. */
export const jsonTree = (text: string, expected: string): JsonNode => walk(text, expected, true)!;

/** The field of an object or the element of an array, as `JSON.parse` has it: of two of one name the last. */
export function fieldOf(node: JsonNode, name: string | number): JsonField | undefined {
  if (node.kind === 'array') return node.children[name as number];
  let fields = fieldsOf.get(node);
  if (!fields) {
    fields = new Map(node.children.map((child) => [child.name, child]));
    fieldsOf.set(node, fields);
  }
  return fields.get(name);
}

const fieldsOf = new WeakMap<JsonNode, ReadonlyMap<string | number, JsonField>>();

function walk(text: string, expected: string, build: boolean): JsonNode | undefined {
  let at = text.charCodeAt(0) === 0xfeff ? 1 : 0;
  let values = 0;
  const fail = (place = at): never => {
    let line = 1;
    for (let k = text.indexOf('\n'); k >= 0 && k < place; k = text.indexOf('\n', k + 1)) line++;
    const found =
      place < text.length ? `"${cut(text.slice(place, place + 12))}" is not JSON` : 'it ends too early';
    throw new FileError(`line ${line}`, `${found}, expected ${expected}`);
  };
  const blank = () => {
    const from = at;
    for (; at < text.length; at++) {
      const c = text.charCodeAt(at);
      if (c !== 32 && c !== 10 && c !== 13 && c !== 9) break;
    }
    if (at - from > LIMITS.blanks) checkLimit('', at - from, LIMITS.blanks, 'blanks between two values');
  };
  /** Behind the quotation mark that ends a text which begins at `at`. */
  const string = () => {
    const from = at++;
    for (;;) {
      STRING_STOP.lastIndex = at;
      const stop = STRING_STOP.exec(text);
      if (!stop) return fail(from);
      at = stop.index;
      if (text[at] === '"') break;
      // Control characters above U+001F are allowed.
      if (text.charCodeAt(at) >= 0x7f) {
        at++;
        continue;
      }
      ESCAPE.lastIndex = at;
      if (!ESCAPE.test(text)) fail();
      at = ESCAPE.lastIndex;
    }
    at++;
  };
  const scalar = () => {
    if (text[at] === '"') return string();
    const name = NAMES.find((word) => text.startsWith(word, at));
    if (name) {
      at += name.length;
      return;
    }
    NUMBER.lastIndex = at;
    if (!NUMBER.test(text)) fail();
    at = NUMBER.lastIndex;
  };

  const open: Open[] = [];
  let top: JsonNode | undefined;
  /** Whether a value comes next, or what stands behind one. */
  let wanted = true;
  blank();
  while (wanted || open.length > 0) {
    const inside = open[open.length - 1];
    if (wanted) {
      const c = text[at];
      const kind = c === '{' ? 'object' : c === '[' ? 'array' : 'value';
      const node: JsonNode = { kind, start: at, end: at, children: kind === 'value' ? NONE : [] };
      if (++values > LIMITS.jsonValues) checkLimit('', values, LIMITS.jsonValues, 'values');
      if (!inside) top = node;
      else if (build) {
        const { children, kind: above } = inside.node;
        const field = above === 'array' ? { name: children.length, start: at } : inside;
        children.push({ name: field.name, start: field.start, value: node });
      }
      if (kind === 'value') {
        scalar();
        node.end = at;
        wanted = false;
      } else {
        open.push({ node, name: '', start: at });
        checkLimit('', open.length, LIMITS.nesting, 'lists and objects within each other');
        at++;
        blank();
        wanted = text[at] !== (kind === 'array' ? ']' : '}');
        if (wanted && kind === 'object') name(open[open.length - 1]);
      }
    } else {
      const close = inside.node.kind === 'array' ? ']' : '}';
      if (text[at] === close) {
        at++;
        inside.node.end = at;
        open.pop();
      } else {
        if (text[at] !== ',') fail();
        at++;
        blank();
        if (inside.node.kind === 'object') name(inside);
        wanted = true;
      }
    }
    blank();
  }
  if (at < text.length) fail();
  return top;

  /** Reads the name of a field and the colon behind it. */
  function name(inside: Open): void {
    if (text[at] !== '"') fail();
    inside.start = at;
    string();
    if (build) inside.name = JSON.parse(text.slice(inside.start, at));
    blank();
    if (text[at] !== ':') fail();
    at++;
    blank();
  }
}
