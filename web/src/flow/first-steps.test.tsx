import { screen, within } from '@testing-library/react';
import { beforeEach, expect, test } from 'vitest';
import { answer, pageOf } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { apiKey, flow } from '../testing/samples.js';
import { FirstSteps } from './first-steps.js';

const RECIPE = { name: 'wide', title: 'Wide', states: {}, bytes: 0 } as never;

const steps = () => within(screen.getByRole('region', { name: 'First steps' }));

beforeEach(() => answer({ 'keys.list': pageOf([]) }));

test('an empty installation leads through folder, upload, recipe and script', async () => {
  show(<FirstSteps flow={flow()} />);
  await screen.findByText('Write a script');
  expect(
    steps()
      .getAllByRole('link')
      .map((link) => link.getAttribute('href')),
  ).toEqual(['/library', '/intake', '/recipes/new', '/automate']);
});

test('a step that is done is not a link, and the rest stay', async () => {
  show(<FirstSteps flow={flow({ folders: 2, recipes: [RECIPE] })} />);
  await screen.findByText('Write a script');
  expect(steps().getAllByText('done')).toHaveLength(2);
  expect(
    steps()
      .getAllByRole('link')
      .map((link) => link.textContent),
  ).toEqual(['Import files', 'Write a script']);
});

test('somebody who may not create keys is not asked to', () => {
  show(<FirstSteps flow={flow()} />, { rights: ['library:read', 'library:write'] });
  expect(steps().queryByText('Write a script')).toBeNull();
});

test('a key is the last step', async () => {
  show(<FirstSteps flow={flow({ folders: 2, library: { items: 1, bytes: 1 }, recipes: [RECIPE] })} />);
  await screen.findByText('Write a script');
  expect(steps().getAllByRole('link')).toHaveLength(1);
});

test('it is gone when all is done', async () => {
  answer({ 'keys.list': pageOf([apiKey('1')]) });
  show(<FirstSteps flow={flow({ folders: 2, library: { items: 1, bytes: 1 }, recipes: [RECIPE] })} />);
  await expect.poll(() => screen.queryByRole('region', { name: 'First steps' })).toBeNull();
});

test('once dismissed it stays away', async () => {
  const { user, unmount } = show(<FirstSteps flow={flow()} />);
  await user.click(screen.getByRole('button', { name: /show this again/ }));
  expect(screen.queryByRole('region', { name: 'First steps' })).toBeNull();
  unmount();
  show(<FirstSteps flow={flow()} />);
  expect(screen.queryByRole('region', { name: 'First steps' })).toBeNull();
});
