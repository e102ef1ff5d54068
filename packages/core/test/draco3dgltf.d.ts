declare module 'draco3dgltf' {
  const modules: {
    createEncoderModule(): Promise<unknown>;
    createDecoderModule(): Promise<unknown>;
  };
  export default modules;
}
