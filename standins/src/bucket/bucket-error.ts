/** Codes and statuses of the common bucket interface. */
const STATUS = {
  AccessDenied: 403,
  AuthorizationHeaderMalformed: 400,
  BadDigest: 400,
  BucketAlreadyOwnedByYou: 409,
  EntityTooLarge: 400,
  EntityTooSmall: 400,
  IncompleteBody: 400,
  InternalError: 500,
  InvalidAccessKeyId: 403,
  InvalidArgument: 400,
  InvalidPart: 400,
  InvalidPartOrder: 400,
  InvalidRange: 416,
  KeyTooLongError: 400,
  MalformedXML: 400,
  MethodNotAllowed: 405,
  MissingContentLength: 411,
  NoSuchBucket: 404,
  NoSuchKey: 404,
  NoSuchUpload: 404,
  NotImplemented: 501,
  PreconditionFailed: 412,
  RequestTimeTooSkewed: 403,
  SignatureDoesNotMatch: 403,
  SlowDown: 503,
  XAmzContentSHA256Mismatch: 400,
} as const;

export type BucketErrorCode = keyof typeof STATUS;

/** An answer that refuses a request. */
export class BucketError extends Error {
  readonly code: BucketErrorCode;
  readonly status: number;
  readonly headers: Record<string, string>;

  constructor(code: BucketErrorCode, message: string, headers: Record<string, string> = {}) {
    super(message);
    this.code = code;
    this.status = STATUS[code];
    this.headers = headers;
  }
}
