import { Box, chakra, Text } from '@chakra-ui/react';
import { X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { perform } from '../../commands/command.js';
import { showReference } from '../../commands/view/comparing.js';
import { CommandButton } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useFirst, useProject, useSession } from '../../editor/context.js';
import { secondAt } from '../../editor/reference.js';
import type { ReferenceVideo } from '../../editor/session.js';
import { Choice } from '../../ui/Choice.js';
import { notify } from '../../ui/notify.js';

/** Seconds by which a video that plays may be off before it is put right. */
const OFF = 0.12;

/** A reference video in step with the playhead, with where it starts and which of its seconds are shown. */
export function ReferenceVideoBox() {
  const editor = useEditor();
  const reference = useSession((state) => state.reference);
  const first = useFirst();
  const fps = useProject((project) => project.fps);
  const video = useRef<HTMLVideoElement>(null);
  const [length, setLength] = useState(0);

  useEffect(() => {
    if (!reference) return;
    const follow = () => {
      const element = video.current;
      if (!element || element.readyState === 0) return;
      const { playing, playSpeed } = editor.session.getState();
      const wanted = secondAt(reference, editor.playhead.get(), fps);
      const ends = wanted <= reference.from || wanted >= (reference.to ?? element.duration);
      const off = Math.abs(element.currentTime - wanted);
      if (playing && !ends) {
        if (off > OFF) element.currentTime = wanted;
        element.playbackRate = playSpeed;
        if (element.paused) void element.play().catch(() => undefined);
      } else {
        if (!element.paused) element.pause();
        if (off > 0.25 / fps) element.currentTime = Math.min(wanted, element.duration || wanted);
      }
    };
    const stops = [editor.playhead.subscribe(follow), editor.session.subscribe(follow)];
    const element = video.current;
    element?.addEventListener('loadeddata', follow);
    follow();
    return () => {
      for (const stop of stops) stop();
      element?.removeEventListener('loadeddata', follow);
    };
    // Where it lies over the view, it is another element.
  }, [editor, reference, fps]);

  if (!reference) return null;
  const set = (values: Partial<ReferenceVideo>) =>
    perform(editor, showReference, { ...reference, ...values });
  const { over } = reference;
  const picture = (
    <chakra.video
      ref={video}
      src={reference.url}
      muted
      playsInline
      preload="auto"
      onDurationChange={({ currentTarget: { duration } }) =>
        setLength(Number.isFinite(duration) ? duration : 0)
      }
      {...(over === undefined
        ? { width: '100%', maxHeight: '180px', bg: 'ground' }
        : {
            position: 'absolute',
            inset: '0',
            width: '100%',
            height: '100%',
            objectFit: 'contain',
            pointerEvents: 'none',
            opacity: over,
          })}
      onError={() => {
        notify({
          title: 'The video cannot be shown',
          text: `${reference.name} is in a form that this browser does not play: MP4 (H.264) and WebM are played.`,
          alarm: true,
        });
        perform(editor, showReference, undefined);
      }}
    />
  );
  return (
    <>
      {over !== undefined && picture}
      <Box
        as="section"
        aria-label="Reference video"
        position="absolute"
        top="3"
        left="3"
        width="264px"
        bg="panel"
        borderWidth="1px"
        borderColor="line"
        borderRadius="l2"
        boxShadow="float"
        overflow="hidden"
      >
        <Box display="flex" alignItems="center" px="2" height="26px" fontSize="12px">
          <Text truncate flex="1">
            {reference.name}
          </Text>
          <CommandButton command={showReference} arg={undefined} label="Take the video away" icon={X} />
        </Box>
        {over === undefined && picture}
        <Box display="flex" alignItems="center" gap="1" px="2" height="28px" fontSize="12px">
          <Text color="quiet">starts at</Text>
          <LocalNumber
            label="Frame at which the video starts"
            read={() => reference.offset}
            step={0.5}
            decimals={0}
            origin={first}
            width="42px"
            onChange={(value) => set({ offset: Math.round(value) })}
          />
          <Text color="quiet">shows</Text>
          <LocalNumber
            label="First second of the video"
            read={() => reference.from}
            min={0}
            step={0.02}
            decimals={1}
            width="38px"
            onChange={(value) => set({ from: value })}
          />
          <Text color="quiet">to</Text>
          <LocalNumber
            label="Last second of the video"
            read={() => reference.to ?? length}
            min={reference.from}
            step={0.02}
            decimals={1}
            width="38px"
            onChange={(value) => set({ to: value })}
          />
          <Text color="quiet">s</Text>
        </Box>
        <Box display="flex" alignItems="center" gap="1" px="2" height="28px" fontSize="12px">
          <Choice
            on={over !== undefined}
            title="The video lies over the view, and what is behind shows through"
            onClick={() => set({ over: over === undefined ? 0.5 : undefined })}
          >
            over the view
          </Choice>
          {over !== undefined && (
            <LocalNumber
              label="How strongly the video lies over the view"
              read={() => over}
              min={0.05}
              max={1}
              step={0.01}
              decimals={2}
              width="42px"
              onChange={(value) => set({ over: Math.min(1, Math.max(0.05, value)) })}
            />
          )}
        </Box>
      </Box>
    </>
  );
}
