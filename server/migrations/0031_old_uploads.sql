-- Records of resumable uploads are deleted when nobody can ask for them any more. Older servers keep working.
ALTER TABLE uploads ADD KEY IF NOT EXISTS uploads_created (created_at);
