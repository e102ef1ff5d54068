import type { FilmSettings } from '../../editor/session.js';
import { makeFilm } from '../../jobs/film.js';
import { FILM_ENDINGS } from '../../jobs/film-encoders.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';

/** Opens what a film is made with, on the range as the view shows it; puts it away where it is open. */
export const openFilm = command({
  name: 'Make a film',
  palette: 'Play and project',
  looks: true,
  run({ history, session }) {
    const { film, through, filmRatio, ...shown } = session.getState();
    if (film) {
      session.setState({ film: undefined });
      return;
    }
    const { range, fps } = history.project();
    session.setState({
      crossing: undefined,
      merging: undefined,
      kit: undefined,
      notes: undefined,
      review: undefined,
      film: {
        kind: 'mp4',
        range: shown.playRange ?? range,
        rate: fps,
        width: 1280,
        height: 720,
        poses: 12,
        ...(through !== undefined && { camera: through, ratio: filmRatio }),
        variants: [],
        beside: false,
        numbers: true,
        layers: false,
        line: '',
        notes: false,
        reference: shown.references.some(({ place }) => place !== 'plate'),
      },
    });
  },
});

export const changeFilm = command<Partial<FilmSettings>>({
  name: 'Change how the film is made',
  looks: true,
  run({ session }, values) {
    const { film } = session.getState();
    if (film) session.setState({ film: { ...film, ...values } });
  },
});

export const closeFilm = command({
  name: 'Leave the film',
  palette: 'Play and project',
  looks: true,
  run: ({ session }) => session.setState({ film: undefined }),
});

/** Makes the film and downloads it. */
export const startFilm = command<FilmSettings>({
  name: 'Make the film',
  looks: true,
  refusal({ session, history }, { range, width, height, rate }) {
    if (session.getState().filming) return { reason: 'A film is being made' };
    if (range[1] < range[0]) return { reason: 'The last frame lies before the first' };
    if (!(rate > 0)) return { reason: 'A film needs pictures in every second' };
    if (width * height > MOST)
      return { reason: 'A picture of more than 33 million pixels is too large here' };
    return history.project().layers.length > 0 ? undefined : { reason: 'There is nothing to film' };
  },
  run(editor, settings) {
    const { name } = editor.history.project();
    const job = makeFilm(editor, settings);
    job.result.then(
      (film) => {
        if (!film) notify({ title: 'The film was cancelled', text: 'Nothing was written.' });
        else download(fileName(name, FILM_ENDINGS[settings.kind]), [film], film.type);
      },
      (error: Error) => notify({ title: 'The film failed', text: error.message, alarm: true }),
    );
  },
});

/** Pixels of a picture: as many as browsers draw at once. */
const MOST = 33e6;

export const stopFilm = command({
  name: 'Cancel the film',
  palette: 'Play and project',
  looks: true,
  refusal: ({ session }) => (session.getState().filming ? undefined : { reason: 'No film is being made' }),
  run: ({ session }) => session.getState().filming?.job.cancel(),
});
