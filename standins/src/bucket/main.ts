// A bucket store as a process of its own.
import { createBucketServer } from './bucket-server.js';

const port = Number(process.env.PORT ?? 0);
const list = (text: string | undefined) => (text ?? '').split(',').filter((name) => name !== '');

const { server } = createBucketServer({
  folder: process.env.BUCKET_FOLDER ?? 'var/bucket',
  accounts: [
    {
      accessKey: process.env.BUCKET_ACCESS_KEY ?? 'skerry-light',
      secret: process.env.BUCKET_SECRET ?? 'a-lamp-that-turns-every-ten-seconds',
    },
  ],
  buckets: list(process.env.BUCKET_NAMES ?? 'skerry-private'),
  publicBuckets: list(process.env.BUCKET_PUBLIC_NAMES ?? 'skerry-media'),
});

server.listen(port, '127.0.0.1', () => {
  const address = server.address();
  const listening = typeof address === 'object' && address ? address.port : port;
  process.send?.({ ready: true, port: listening });
});
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    server.close(() => process.exit(0));
    server.closeAllConnections();
  });
process.on('disconnect', () => process.exit(0));
