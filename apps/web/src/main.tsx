import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/jetbrains-mono';
import { Box, ChakraProvider } from '@chakra-ui/react';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Outlet, RouterProvider } from 'react-router';
import { HintLine } from './controls/bars/HintLine.js';
import { DropZone } from './controls/DropZone.js';
import { Broken } from './routes/Broken.js';
import { Projects } from './routes/Projects.js';
import { sweep } from './storage/storage.js';
import { restoreTheme, system } from './theme/theme.js';
import { notify } from './ui/notify.js';

restoreTheme();
// An error that no code awaited is told to the user: otherwise a press would do nothing and say nothing.
window.addEventListener('unhandledrejection', ({ reason }) => {
  const text = reason instanceof Error ? reason.message : String(reason);
  notify({ title: 'Something did not work', text, alarm: true });
});
// A browser that keeps nothing has nothing to sweep.
sweep().catch(() => undefined);

// The script of a screen is fetched when it is wanted.
const router = createBrowserRouter([
  {
    element: (
      <DropZone>
        <Box height="100%" display="flex" flexDirection="column">
          <Box flex="1" minHeight="0">
            <Outlet />
          </Box>
          <HintLine />
        </Box>
      </DropZone>
    ),
    errorElement: <Broken />,
    hydrateFallbackElement: (
      <Box p="8" role="status">
        Opening …
      </Box>
    ),
    children: [
      { path: '/', element: <Projects /> },
      { path: '/help', lazy: async () => ({ Component: (await import('./routes/Help.js')).Help }) },
      {
        path: '/p/:id',
        lazy: async () => ({ Component: (await import('./routes/ProjectRoute.js')).ProjectRoute }),
        children: [
          { index: true, lazy: async () => ({ Component: (await import('./routes/Layers.js')).Layers }) },
          { path: 'takes', lazy: async () => ({ Component: (await import('./routes/Takes.js')).Takes }) },
          { path: 'sheet', lazy: async () => ({ Component: (await import('./routes/Sheet.js')).Sheet }) },
          { path: 'bake', lazy: async () => ({ Component: (await import('./routes/Bake.js')).Bake }) },
        ],
      },
    ],
  },
]);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <ChakraProvider value={system}>
      <RouterProvider router={router} />
    </ChakraProvider>
  </StrictMode>,
);
