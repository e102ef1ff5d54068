import localforage from 'localforage';

/** The poses that this browser keeps for all projects, as the text of a pose file. */
const library = localforage.createInstance({ name: 'evlay', storeName: 'poses' });
const KEY = 'library';

export const readPoseLibrary = (): Promise<string | null> => library.getItem<string>(KEY);

export const writePoseLibrary = async (text: string): Promise<void> => {
  await library.setItem(KEY, text);
};
