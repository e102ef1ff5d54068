import { parentPort } from 'node:worker_threads';
import { type KeysBlock, keysOfBlock } from '@evlay/core/keys';

/** Finds the keys of blocks on a thread of its own. */
parentPort!.on('message', (block: KeysBlock) => parentPort!.postMessage(keysOfBlock(block)));
