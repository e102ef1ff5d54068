import { newId } from '@evlay/core';
import { forReview } from '@evlay/core/edit';
import { writeReview } from '@evlay/core/format';
import type { ReviewSettings } from '../../editor/session.js';
import { packProject } from '../../jobs/export.js';
import { whenMade } from '../../jobs/open.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';

/** Opens what a review file is made with: all variants, and no layer to turn yet. */
export const openReview = command({
  name: 'Make a review file',
  palette: 'Play and project',
  looks: true,
  run({ kept, session }) {
    const project = kept.project();
    session.setState({
      crossing: undefined,
      merging: undefined,
      kit: undefined,
      film: undefined,
      notes: undefined,
      review: session.getState().review ?? {
        range: project.range,
        variants: project.variants.map(({ name }) => name),
        layers: [],
      },
    });
  },
});

export const changeReview = command<Partial<ReviewSettings>>({
  name: 'Change the review file',
  looks: true,
  run({ session }, values) {
    const { review } = session.getState();
    if (review) session.setState({ review: { ...review, ...values } });
  },
});

export const closeReview = command({
  name: 'Leave the review file',
  palette: 'Play and project',
  looks: true,
  run: ({ session }) => session.setState({ review: undefined }),
});

/** Makes the review file and downloads it. */
export const saveReview = command<ReviewSettings>({
  name: 'Save the review file',
  looks: true,
  refusal: (_, { range }) =>
    range[1] < range[0] ? { reason: 'The last frame lies before the first' } : undefined,
  run(editor, { range, variants, layers }) {
    const work = async () => {
      await whenMade(editor);
      const project = editor.kept.settled();
      const page = await fetch('/review.html');
      if (!page.ok) throw new Error('The page of a review is missing from this server.');
      const packed = await packProject(forReview(project, range, variants)).result;
      if (!packed) return;
      const id = newId();
      const html = writeReview(await page.text(), {
        id,
        name: project.name,
        project: packed,
        variants,
        layers,
      });
      download(fileName(`${project.name} review`, 'html'), [html], 'text/html');
      notify({
        title: `A review file of ${(html.length / 1e6).toFixed(1)} MB`,
        text: 'It opens in any browser, without a network. What comes back is dropped here.',
      });
    };
    work().catch((error: Error) =>
      notify({ title: 'No review file was made', text: error.message, alarm: true }),
    );
  },
});
