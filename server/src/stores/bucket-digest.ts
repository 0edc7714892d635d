import type { PutObjectCommand, UploadPartCommand } from '@aws-sdk/client-s3';

/**
 * Signs the known digest of a body instead of having it computed again. The store compares it with what arrives.
 *
 * @param sha256 64 hexadecimal digits
 */
export function withDigest<Command extends PutObjectCommand | UploadPartCommand>(
  command: Command,
  sha256: string,
): Command {
  (command as PutObjectCommand).middlewareStack.add(
    (next) => (args) => {
      const { headers } = args.request as { headers: Record<string, string> };
      headers['x-amz-content-sha256'] = sha256;
      return next(args);
    },
    { step: 'build', name: 'knownDigest' },
  );
  return command;
}
