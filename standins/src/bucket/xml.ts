import { XMLBuilder, XMLParser } from 'fast-xml-parser';
import { BucketError } from './bucket-error.js';

const NAMESPACE = 'http://s3.amazonaws.com/doc/2006-03-01/';
const builder = new XMLBuilder({ ignoreAttributes: false, suppressEmptyNode: false });
const parser = new XMLParser({
  parseTagValue: false,
  isArray: (name) => name === 'Part' || name === 'Object',
});

/** A document of the common bucket interface. Lists become repeated elements. */
export function buildXml(root: string, content: object): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build({ [root]: { '@_xmlns': NAMESPACE, ...content } })}`;
}

export function errorXml({ code, message }: BucketError, resource: string, requestId: string): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build({
    Error: { Code: code, Message: message, Resource: resource, RequestId: requestId },
  })}`;
}

/** The parts that complete an upload. */
export function readParts(xml: string): { number: number; etag: string }[] {
  const parts = parse(xml)?.CompleteMultipartUpload?.Part;
  if (!Array.isArray(parts)) throw malformed();
  return parts.map(({ PartNumber, ETag }) => ({
    number: Number(PartNumber),
    etag: String(ETag).replace(/^(?:"|&quot;)|(?:"|&quot;)$/g, ''),
  }));
}

/** The keys to delete together. */
export function readKeys(xml: string): string[] {
  const objects = parse(xml)?.Delete?.Object;
  if (!Array.isArray(objects)) throw malformed();
  return objects.map(({ Key }) => String(Key));
}

function parse(xml: string) {
  try {
    return parser.parse(xml);
  } catch {
    throw malformed();
  }
}

function malformed(): BucketError {
  return new BucketError('MalformedXML', 'The XML is not well-formed or does not fit the schema.');
}
