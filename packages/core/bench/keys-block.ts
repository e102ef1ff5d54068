import { parentPort } from 'node:worker_threads';
import { type KeysBlock, keysOfBlock } from '../src/keys/index.js';

parentPort!.on('message', (block: KeysBlock) => parentPort!.postMessage(keysOfBlock(block)));
