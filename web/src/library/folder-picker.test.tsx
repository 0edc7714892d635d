import { screen } from '@testing-library/react';
import { useState } from 'react';
import { expect, test, vi } from 'vitest';
import { answer, pageOf } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { folder } from '../testing/samples.js';
import { FolderPicker } from './folder-picker.js';

vi.mock('../client.js', () => import('../testing/fake-client.js'));

function Chosen({ except, none }: { except?: string; none?: string }) {
  const [path, setPath] = useState('');
  return (
    <>
      <FolderPicker
        aria-label="Folder"
        value={path}
        onChange={setPath}
        {...(except !== undefined && { except })}
        {...(none !== undefined && { none })}
      />
      <p data-testid="chosen">{path || 'none'}</p>
    </>
  );
}

const many = Array.from({ length: 2000 }, (_, n) => folder(`/year-${String(n).padStart(4, '0')}`));
const options = () => screen.getAllByRole('option').map(({ textContent }) => textContent);

test('two thousand folders are searched, and not all listed', async () => {
  answer({ 'folders.list': pageOf(many) });
  const { user } = show(<Chosen />);
  await user.click(screen.getByRole('combobox', { name: 'Folder' }));
  await screen.findByPlaceholderText('Search 2,000 folders');
  expect(options()).toHaveLength(60);
  expect(screen.getByText('1,940 more. Type to narrow the list.')).toBeVisible();
  await user.keyboard('1987');
  expect(options()).toEqual(['/year-1987']);
  await user.keyboard('{Enter}');
  expect(screen.getByTestId('chosen')).toHaveTextContent('/year-1987');
  expect(screen.queryByRole('option')).toBeNull();
});

test('a folder and what is in it can be left out, and no folder can be chosen', async () => {
  answer({
    'folders.list': pageOf([folder('/'), folder('/a'), folder('/a/b'), folder('/ab')]),
  });
  const { user } = show(<Chosen except="/a" none="stay here" />);
  await user.click(screen.getByRole('combobox', { name: 'Folder' }));
  await screen.findByPlaceholderText('Search 2 folders');
  expect(options()).toEqual(['stay here', '/', '/ab']);
  await user.keyboard('nothing like it');
  expect(screen.getByText('No folder matches.')).toBeVisible();
});
