import { Box } from '@chakra-ui/react';
import { Canvas, useThree } from '@react-three/fiber';
import { useEffect, useRef, useState } from 'react';
import { perform, refusalOf } from '../commands/command.js';
import { startFilm } from '../commands/view/film.js';
import { EditorContext, useEditor, useSession } from '../editor/context.js';
import { createEditor, type Editor } from '../editor/editor.js';
import { type Filming, type FilmSettings, setDisplay, setSelection } from '../editor/session.js';
import { useTheme } from '../theme/use-theme.js';
import { Scene } from '../view/scene/Scene.js';
import { layerLines } from './layer-lines.js';

/** Where a film is made while one is under way: a canvas out of sight, with an editor of its own. */
export function FilmStage() {
  const editor = useEditor();
  const { session } = editor;
  const filming = useSession((state) => state.filming);
  // Where the project is left the film is given up; effects may be begun twice while developing.
  const there = useRef(0);
  useEffect(() => {
    there.current++;
    return () => {
      there.current--;
      setTimeout(() => there.current === 0 && session.getState().filming?.job.cancel());
    };
  }, [session]);
  // The command line asks so for a film, on the page that it has opened.
  useEffect(() => {
    const asked = (event: Event) => {
      const refused = refusalOf(editor, startFilm, (event as CustomEvent<FilmSettings>).detail);
      if (refused) return tell({ failed: refused.reason });
      perform(editor, startFilm, (event as CustomEvent<FilmSettings>).detail);
      const { filming: begun } = session.getState();
      begun?.job.result.catch((error: Error) => tell({ failed: error.message }));
    };
    window.addEventListener('evlay-film', asked);
    return () => window.removeEventListener('evlay-film', asked);
  }, [editor, session]);
  useEffect(
    () => filming?.job.progress.subscribe(() => tell({ done: filming.job.progress.get() })),
    [filming],
  );
  return filming ? <Stage key={filming.since} filming={filming} /> : <span data-film-stage hidden />;
}

/** Tells whoever drives the page, where somebody does. */
const tell = (told: { readonly done?: number; readonly failed?: string }): void =>
  (window as { evlayFilmTold?: (told: object) => void }).evlayFilmTold?.(told);

function Stage({ filming }: { filming: Filming }) {
  const editor = useEditor();
  const dark = useTheme() === 'dark';
  const [own, setOwn] = useState<Editor>();
  useEffect(() => {
    const made = filmEditor(editor, filming);
    setOwn(made);
    return () => made.dispose();
  }, [editor, filming]);
  const nothing = useRef<HTMLDivElement>(null);
  const [width, height] = filming.size;
  if (!own) return null;
  return (
    <Box
      position="fixed"
      left="0"
      top="0"
      width={`${width}px`}
      height={`${height}px`}
      transform="translate(-200vw, -200vh)"
      pointerEvents="none"
      aria-hidden
    >
      <EditorContext.Provider value={own}>
        <Canvas
          frameloop="never"
          shadows="percentage"
          dpr={1}
          camera={{ fov: 32, near: 0.05, far: 80 }}
          gl={{ antialias: true, preserveDrawingBuffer: true }}
        >
          <Scene dark={dark} tag={nothing} gap={nothing} />
          <Ready filming={filming} from={editor} />
        </Canvas>
      </EditorContext.Provider>
    </Box>
  );
}

/** An editor of the project as it was when the film was begun, that shows what the view shows, without tools. */
function filmEditor(editor: Editor, { project, settings }: Filming): Editor {
  const own = createEditor(project);
  const shown = editor.session.getState();
  setSelection(own.session, { character: shown.character, picked: [], parts: [] });
  setDisplay(own.session, {
    previewing: true,
    surface: shown.surface,
    drivenBy: shown.drivenBy,
    surroundings: shown.surroundings,
    hidden: shown.hidden,
    follow: shown.follow,
    through: settings.camera,
    references: shown.references,
    cameraLocked: true,
  });
  own.playhead.set(settings.range[0]);
  return own;
}

/** Tells that the stage is set, once the character is there and the camera stands where the view's does. */
function Ready({ filming, from }: { filming: Filming; from: Editor }) {
  const own = useEditor();
  const scene = useThree((state) => state.scene);
  const gl = useThree((state) => state.gl);
  const camera = useThree((state) => state.camera);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const look = () => {
      if (!scene.userData.posed || !scene.userData.framed) {
        timer = setTimeout(look, 30);
        return;
      }
      // The view looks from where it does at its own frame; it goes along with the character from there.
      const viewpoint = from.viewpoint?.();
      if (filming.settings.camera === undefined && viewpoint) {
        own.playhead.set(from.playhead.get());
        own.events.emit('lookFrom', viewpoint);
      }
      filming.ready({
        canvas: gl.domElement,
        draw(frame, variant) {
          if (own.session.getState().variant !== variant) setDisplay(own.session, { variant });
          own.playhead.set(frame);
          gl.render(scene, camera);
          return layerLines(own.stage.get());
        },
      });
    };
    look();
    return () => clearTimeout(timer);
  }, [own, from, scene, gl, camera, filming]);
  return null;
}
