import { build } from './build.mjs';
import { installPackages, startServer } from './run.mjs';

/** Installs what is missing, builds, and serves the application with the demo in it. */
installPackages();
build();
const server = await startServer(Number(process.env.PORT ?? 4173), 'inherit');
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.kill());
server.on('exit', (code) => process.exit(code ?? 0));
