import { API_BASE, type Route, route } from '../shared/route.js';

export const hookRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/events`,
    access: 'library:read',
    summary: 'What happens, as server-sent events; Last-Event-ID goes on where it broke off',
    answers: { 200: { description: 'An endless stream', contentType: 'text/event-stream' } },
    async handle({ app, req, res }) {
      const last = Number(req.get('last-event-id') ?? Number.NaN);
      await app.events.listen(res, Number.isSafeInteger(last) ? last : null);
      return { status: 200, handled: true };
    },
  }),
];
