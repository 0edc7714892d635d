// What tus 1.0.0 sends back and forth, for the description of the API.

const RESUMABLE = { description: 'the version of the protocol: 1.0.0', required: true };
export const tus = {
  description: 'As tus 1.0.0 says',
  contentType: 'text/plain',
  headers: { 'Tus-Resumable': '1.0.0', 'Upload-Offset': 'how many bytes have arrived' },
};
export const begun = {
  ...tus,
  headers: {
    'Tus-Resumable': '1.0.0',
    Location: 'the address of the upload',
    'Upload-Expires': 'when it is deleted if it is not complete',
  },
};
export const starting = {
  'Tus-Resumable': RESUMABLE,
  'Upload-Length': { description: 'the size of the file, in bytes', required: true, example: '1048576' },
  'Upload-Metadata': {
    description:
      'filename, folder, title, alt, caption, credit, keywords, intake, unpack, ownFolder and rename, each with its value in base64, separated by commas',
    required: true,
  },
};
export const asking = { 'Tus-Resumable': RESUMABLE };
export const sending = {
  'Tus-Resumable': RESUMABLE,
  'Upload-Offset': { description: 'where the chunk begins', required: true, example: '524288' },
  'Content-Type': { description: 'application/offset+octet-stream', required: true },
};
