import { copyFileSync, mkdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

// The application hands the page out as a file, so it lies beside its own.
const here = dirname(fileURLToPath(import.meta.url));
mkdirSync(join(here, '../web/public'), { recursive: true });
copyFileSync(join(here, 'dist/index.html'), join(here, '../web/public/review.html'));
