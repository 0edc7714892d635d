-- A capture time keeps the offset of the place where the picture was taken. Older servers keep working.
ALTER TABLE assets ADD COLUMN IF NOT EXISTS captured_offset VARCHAR(6) CHARACTER SET ascii NULL;
