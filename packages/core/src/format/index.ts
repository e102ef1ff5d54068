/** Files: BVH, glTF, the stack file, the project file, mappings. */
export * from './bvh-read.js';
export * from './bvh-write.js';
export * from './error.js';
export * from './gltf/bounds.js';
export * from './gltf/character.js';
export * from './gltf/glb.js';
export * from './gltf/pack.js';
export * from './gltf/rig.js';
export * from './gltf/take.js';
export * from './gltf/write.js';
export * from './mapping-file.js';
export * from './project-file.js';
export * from './project-json.js';
export * from './stack-read.js';
export * from './stack-write.js';
export * from './take-make.js';
export * from './take-read.js';
