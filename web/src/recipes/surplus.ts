import type { SurplusRendition, SurplusRequest } from '@uniferum/client';
import { commandLine } from '../ui/command-line.js';

/** Identifies a surplus file. */
export function keyOfSurplus({ asset, recipe, variant }: SurplusRendition): string {
  return `${asset.id} ${recipe} ${variant ?? ''}`;
}

/** Requests the deletion of the selected files, or of all listed ones when none is selected. */
export function surplusRequest(
  ticked: readonly SurplusRendition[],
  unaskedDays: number | null,
): SurplusRequest {
  if (ticked.length > 0)
    return { keys: ticked.map(({ asset, recipe, variant }) => ({ asset: asset.id, recipe, variant })) };
  return unaskedDays === null ? {} : { unaskedDays };
}

/** The deletion as code; individually selected files have no command line. */
export function removalCode(request: SurplusRequest) {
  const words = JSON.stringify(request);
  return {
    method: 'POST' as const,
    path: '/renditions/surplus/remove?rehearse=true',
    body: request,
    client: [
      `const { plan } = await uniferum.renditions.rehearseRemoval(${words});`,
      `const { run } = await uniferum.renditions.removeSurplus(${words});`,
      '// Within thirty days: await uniferum.runs.undo(run.id);',
    ].join('\n'),
    ...(request.keys === undefined && {
      command: commandLine(
        'surplus',
        ...(request.unaskedDays === undefined ? [] : ['--unasked', String(request.unaskedDays)]),
        '--remove',
      ),
    }),
  };
}
