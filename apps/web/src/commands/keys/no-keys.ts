import { contactsOf, type Layer, takeOf } from '@evlay/core';

/** Why a layer takes no keys of joints, as what is said of it; undefined where it takes them. */
export function takesNoKeys(layer: Layer): string | undefined {
  if (takeOf(layer)) return 'plays a take, which stays as it came';
  return contactsOf(layer) ? 'holds contacts and takes no keys: make keys of them first' : undefined;
}
