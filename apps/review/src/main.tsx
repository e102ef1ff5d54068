import { FileError, type ReviewFile, readReview } from '@evlay/core/format';
import { createRoot } from 'react-dom/client';
import { Page } from './Page.js';
import { openStage, type Stage } from './stage.js';
import './page.css';

const root = createRoot(document.getElementById('root')!);
const told = (text: string) =>
  root.render(
    <p className="told" role="status">
      {text}
    </p>,
  );

async function open(): Promise<{ review: ReviewFile; stage: Stage }> {
  const text = document.getElementById('evlay-review')?.textContent ?? '';
  if (text.trim() === '') throw new Error('This page shows nothing yet: a review file is made in Evlay.');
  const review = readReview(text);
  return { review, stage: await openStage(review.project) };
}

told('Opening …');
open().then(
  ({ review, stage }) => {
    document.title = `${review.name}, review`;
    root.render(<Page review={review} stage={stage} />);
  },
  (error: Error) =>
    told(error instanceof FileError ? `This review cannot be shown: ${error.message}` : error.message),
);
