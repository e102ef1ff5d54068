import { readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import asc from 'assemblyscript/asc';

/** Compiles the kernel and writes it as text that every build can take along. */
const here = dirname(fileURLToPath(import.meta.url));
const options = '--optimizeLevel 3 --runtime stub --enable simd --importMemory --noAssert --memoryBase 1024';
let wasm;
const { error, stderr } = await asc.main(
  ['blend.ts', 'turns.ts', 'rows.ts', '--outFile', 'kernel.wasm', ...options.split(' ')],
  {
    readFile: (name) => {
      try {
        return readFileSync(join(here, name), 'utf8');
      } catch {
        return null;
      }
    },
    writeFile: (name, contents) => {
      if (name.endsWith('.wasm')) wasm = contents;
    },
    listFiles: () => [],
  },
);
if (error) {
  console.error(stderr.toString());
  process.exit(1);
}
const code = Buffer.from(wasm).toString('base64');
writeFileSync(
  join(here, '..', 'src', 'kernel', 'kernel-code.gen.ts'),
  `/** The kernels of \`kernel/\`, compiled; made by \`npm run build:kernel\`. */\nexport const KERNEL_CODE =\n  '${code}';\n`,
);
