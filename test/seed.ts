import fc from 'fast-check';

// The same cases in every run, so that a failure is about the change at hand. `SEED=n npm run unit` tries others.
fc.configureGlobal({ seed: Number(process.env.SEED ?? 20261125) });
