declare module 'gltf-validator' {
  /** The parts of a report that the tests look at; severity 0 is an error. */
  export function validateBytes(
    bytes: Uint8Array,
    options?: { maxIssues?: number },
  ): Promise<{
    issues: {
      numErrors: number;
      numWarnings: number;
      messages: { message: string; code: string; severity: number; pointer?: string }[];
    };
  }>;
}
