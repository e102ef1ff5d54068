import { chakra } from '@chakra-ui/react';
import type { Channel } from '@evlay/core';
import { useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { keyedNow, toggleChannelKey } from '../commands/keys/channels.js';
import { heldOf } from '../commands/keys/held.js';
import { useEditor } from '../editor/context.js';

/** The bar of a key in the lanes: filled where it stands here, empty where the number is keyed elsewhere. */
const MARKS = { here: '▮', elsewhere: '▯', never: '·' };
const SAID = { here: 'keyed here', elsewhere: 'keyed at other frames', never: 'not keyed' };

/** Whether a number is keyed; pressed, it keys it or takes the key out. */
export function KeyMark({ joint, channel, name }: { joint: number; channel: Channel; name: string }) {
  const editor = useEditor();
  const dot = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    const show = () => {
      const keyed = keyedNow(editor, joint, channel);
      const button = dot.current;
      if (!button || button.dataset.keyed === keyed) return;
      button.dataset.keyed = keyed;
      button.textContent = MARKS[keyed];
      button.setAttribute('aria-label', `${channel} of ${name}: ${SAID[keyed]}`);
      button.title = `${SAID[keyed]}; click to ${keyed === 'here' ? 'take the key out' : 'key it'}`;
    };
    show();
    return editor.stage.subscribe(show);
  });
  const keyed = keyedNow(editor, joint, channel);
  return (
    <chakra.button
      ref={dot}
      type="button"
      data-keyed={keyed}
      aria-label={`${channel} of ${name}: ${SAID[keyed]}`}
      cursor="pointer"
      color="lamp"
      css={{ '&[data-keyed=never]': { color: 'var(--evlay-colors-quiet)' } }}
      onClick={() =>
        perform(editor, toggleChannelKey, { joint, channel, value: heldOf(editor, joint, channel) })
      }
    >
      {MARKS[keyed]}
    </chakra.button>
  );
}
