import { useSyncExternalStore } from 'react';
import { currentTheme, type Theme } from './theme.js';

function subscribe(listener: () => void): () => void {
  const observer = new MutationObserver(listener);
  observer.observe(document.documentElement, { attributeFilter: ['class'] });
  return () => observer.disconnect();
}

/** Whether the page is dark or light now. */
export const useTheme = (): Theme => useSyncExternalStore(subscribe, currentTheme);
