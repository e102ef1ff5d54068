import { fileURLToPath } from 'node:url';
import compression from 'compression';
import express from 'express';
import helmet from 'helmet';

/** Serves the built application. All data stays in the browser: there is nothing else to serve. */
const root = fileURLToPath(new URL('../../web/dist', import.meta.url));
const port = Number(process.env.PORT ?? 4173);

const app = express();
app.disable('x-powered-by');
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
        connectSrc: ["'self'", 'blob:', 'data:'],
        workerSrc: ["'self'", 'blob:'],
        objectSrc: ["'none'"],
        frameAncestors: ["'none'"],
        baseUri: ["'self'"],
      },
    },
    strictTransportSecurity: false,
  }),
);
app.use(compression());
app.use(express.static(root));
app.get('/{*path}', (request, response, next) => {
  // Screens have addresses of their own; anything with an ending is a file that is not there.
  if (/\.[a-z0-9]+$/i.test(request.path)) next();
  else response.sendFile('index.html', { root });
});

const server = app.listen(port, '127.0.0.1', () => {
  console.log(`Evlay is at http://127.0.0.1:${port}/`);
});
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(
    error.code === 'EADDRINUSE' ? `Port ${port} is taken: set PORT to another one.` : error.message,
  );
  process.exit(1);
});
