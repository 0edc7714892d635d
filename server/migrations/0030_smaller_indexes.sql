-- References change often, and where a file is used is found as fast by the beginning of a hash. Older servers keep working.
ALTER TABLE page_references
  DROP KEY page_references_document,
  ADD KEY page_references_document (document_id),
  DROP KEY page_references_place,
  ADD KEY page_references_place (place(16), asset_id);
