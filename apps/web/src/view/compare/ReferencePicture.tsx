import { chakra } from '@chakra-ui/react';
import { secondOf } from '@evlay/core/format';
import { type CSSProperties, useEffect, useRef } from 'react';
import { perform } from '../../commands/command.js';
import { removeReference } from '../../commands/view/comparing.js';
import { useEditor, useProject } from '../../editor/context.js';
import type { Reference } from '../../editor/session.js';
import { notify } from '../../ui/notify.js';

/** Seconds by which a video that plays may be off before it is put right. */
const OFF = 0.12;
/** Seconds behind the beginning of a picture at which it is asked for: at its very beginning rounding would show the one before. */
export const INSIDE = 0.002;

interface ReferencePictureProps {
  readonly reference: Reference;
  readonly style: CSSProperties;
}

/** The picture of a reference; a video is in step with the playhead, exactly where it stands still. */
export function ReferencePicture({ reference, style }: ReferencePictureProps) {
  const editor = useEditor();
  const fps = useProject((project) => project.fps);
  const video = useRef<HTMLVideoElement>(null);
  const { kind } = reference;

  useEffect(() => {
    const element = video.current;
    if (kind !== 'video' || !element) return;
    const follow = () => {
      if (element.readyState === 0) return;
      const { playing, playSpeed } = editor.session.getState();
      const wanted = secondOf(reference, editor.playhead.get(), fps);
      const ends = wanted <= reference.from || wanted >= (reference.to ?? element.duration);
      const off = Math.abs(element.currentTime - wanted);
      if (playing && !ends) {
        if (off > OFF) element.currentTime = wanted;
        element.playbackRate = Math.min(16, Math.max(0.0625, playSpeed * reference.speed));
        if (element.paused) void element.play().catch(() => undefined);
      } else {
        if (!element.paused) element.pause();
        const exact = Math.min(wanted + INSIDE, element.duration || wanted);
        if (Math.abs(element.currentTime - exact) > 1e-4) element.currentTime = exact;
      }
    };
    const stops = [editor.playhead.subscribe(follow), editor.session.subscribe(follow)];
    element.addEventListener('loadeddata', follow);
    follow();
    return () => {
      for (const stop of stops) stop();
      element.removeEventListener('loadeddata', follow);
    };
  }, [editor, reference, fps, kind]);

  const failed = () => {
    notify({
      title: 'The reference cannot be shown',
      text: `${reference.name} is in a form that this browser does not show: MP4 (H.264), WebM, PNG, JPEG and WebP are shown.`,
      alarm: true,
    });
    perform(editor, removeReference, reference.id);
  };
  return kind === 'picture' ? (
    <chakra.img src={reference.url} alt={`Reference ${reference.name}`} style={style} onError={failed} />
  ) : (
    <chakra.video
      ref={video}
      src={reference.url}
      muted
      playsInline
      preload="auto"
      style={style}
      aria-label={`Reference ${reference.name}`}
      onError={failed}
    />
  );
}
