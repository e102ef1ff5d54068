/** Six letters and digits of 30 random bits; one string, since thousands of keys are made at once. */
const half = (): string => (2 ** 30 + Math.floor(Math.random() * 2 ** 30)).toString(36);

/** A short random id, unique for layers, takes and keys within a project and for projects within a browser. */
export const newId = (): string => half() + half();
