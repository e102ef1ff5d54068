import { existsSync, realpathSync } from 'node:fs';
import { join, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import compression from 'compression';
import express from 'express';
import helmet from 'helmet';

/** Serves the built application. All data stays in the browser: there is nothing else to serve. */
const root = fileURLToPath(new URL('../../web/dist', import.meta.url));
const asked = process.env.PORT ?? '4173';
const port = Number(asked);
if (!/^\d+$/.test(asked) || port > 65_535) {
  console.error(`PORT is "${asked.slice(0, 80)}", expected a number from 0 to 65535.`);
  process.exit(1);
}

const app = express();
app.disable('x-powered-by');
/** Names by which this machine calls itself: a page from elsewhere that has a name resolve to it is not served. */
const OWN = new Set(['localhost', '127.0.0.1', '[::1]']);
app.use((request, response, next) => {
  const host = (request.headers.host ?? '').replace(/:\d+$/, '').toLowerCase();
  if (OWN.has(host)) next();
  else response.status(421).type('text/plain').send('Evlay is served to this machine by its own name.\n');
});
// A link in the folder leads nowhere outside of it.
const realRoot = existsSync(root) ? realpathSync(root) : root;
app.use((request, _response, next) => {
  let file: string;
  try {
    file = join(root, decodeURIComponent(request.path));
  } catch {
    next(Object.assign(new Error('no address'), { status: 400 }));
    return;
  }
  if (!existsSync(file) || `${realpathSync(file)}${sep}`.startsWith(`${realRoot}${sep}`)) next();
  else next(Object.assign(new Error('outside'), { status: 404 }));
});
app.use(
  helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'self'"],
        // Styles are written into the page as it runs; pictures and files are made in it.
        styleSrc: ["'self'", "'unsafe-inline'"],
        scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
        imgSrc: ["'self'", 'data:', 'blob:'],
        // A capture stage of this machine sends its samples over a WebSocket.
        connectSrc: ["'self'", 'blob:', 'data:', 'ws://localhost:*', 'ws://127.0.0.1:*'],
        mediaSrc: ["'self'", 'blob:'],
        workerSrc: ["'self'", 'blob:'],
        objectSrc: ["'none'"],
        frameAncestors: ["'none'"],
        baseUri: ["'self'"],
      },
    },
    // With the policy for openers that is set anyhow it lets the workers of the page look into the same samples.
    crossOriginEmbedderPolicy: true,
    strictTransportSecurity: false,
  }),
);
// The worker that unpacks textures makes functions of text; it sees no page and reaches no address.
app.use('/basis/worker.js', (_request, response, next) => {
  response.setHeader(
    'Content-Security-Policy',
    "default-src 'none'; script-src 'unsafe-eval' 'wasm-unsafe-eval'",
  );
  next();
});
app.use(compression());
// What the build names by what is in it never changes; everything else is asked for again.
app.use(
  '/assets',
  express.static(join(root, 'assets'), { immutable: true, maxAge: '1y', fallthrough: false }),
);
app.use(express.static(root));
app.get('/{*path}', (request, response, next) => {
  // Screens have addresses of their own; anything with an ending is a file that is not there.
  if (/\.[a-z0-9]+$/i.test(request.path)) next();
  else response.sendFile('index.html', { root });
});
app.use((_request, response) => {
  response.status(404).type('text/plain').send('There is nothing at this address.\n');
});
// An address that cannot be read, a file that is gone: the visitor hears what is wrong with it, and nothing of ours.
app.use(((error: { status?: number }, _request, response, _next) => {
  const status = error.status ?? 500;
  const text =
    status === 404
      ? 'There is nothing at this address.'
      : status < 500
        ? 'This address cannot be read.'
        : 'Something went wrong.';
  response.status(status).type('text/plain').send(`${text}\n`);
}) satisfies express.ErrorRequestHandler);

const server = app.listen(port, '127.0.0.1');
server.on('listening', () => {
  const address = server.address();
  console.log(
    `Evlay is at http://127.0.0.1:${typeof address === 'object' && address ? address.port : port}/`,
  );
});
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(
    error.code === 'EADDRINUSE'
      ? `Port ${port} is taken: set PORT to another one.`
      : error.code === 'EACCES'
        ? `Port ${port} may not be used: set PORT to one from 1024 on.`
        : error.message,
  );
  process.exit(1);
});
