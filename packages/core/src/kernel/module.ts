import { KERNEL_CODE } from './kernel-code.gen.js';

let module: WebAssembly.Module | null | undefined;

/** The compiled kernels of `kernel/`; null where this machine has no WebAssembly with vectors. */
export function kernelModule(): WebAssembly.Module | null {
  if (module === undefined) {
    try {
      module = new WebAssembly.Module(Uint8Array.from(atob(KERNEL_CODE), (char) => char.charCodeAt(0)));
    } catch {
      module = null;
    }
  }
  return module;
}
