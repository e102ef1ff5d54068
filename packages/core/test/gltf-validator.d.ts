declare module 'gltf-validator' {
  /** The official validator of the Khronos Group; resolves to its report. */
  export function validateBytes(
    bytes: Uint8Array,
  ): Promise<{ issues: { numErrors: number; numWarnings: number; messages: { message: string }[] } }>;
}
