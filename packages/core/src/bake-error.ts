/** A motion that cannot be baked or written, in words for people. */
export class BakeError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'BakeError';
  }
}
