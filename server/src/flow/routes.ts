import type { FlowPart } from '../shared/flow-part.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component } from '../shared/schemas.js';

/** @param parts the figures contributed by the rooms */
export function flowRoutes(parts: readonly FlowPart[]): Route[] {
  const schema = component('Flow', answer(Object.assign({}, ...parts.map((part) => part.schema))));
  return [
    route({
      method: 'get',
      path: `${API_BASE}/flow`,
      access: 'library:read',
      summary: 'Get the map of where files come from and go to, with counts',
      answers: { 200: { description: 'The map', schema } },
      async handle({ services }) {
        const figures = await Promise.all(parts.map((part) => part.read(services)));
        return { status: 200, body: Object.assign({}, ...figures) };
      },
    }),
  ];
}
