import '@fontsource/b612/400.css';
import '@fontsource/b612/700.css';
import '../app/styles.css';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { applySheet } from '../app/sheet';
import { Remote } from './remote';

applySheet();
createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <Remote />
  </StrictMode>,
);
