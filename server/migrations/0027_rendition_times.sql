-- When the bytes of a rendition last changed, as a full second that no answer was sent in before: validators of HTTP have
-- no smaller unit. Older servers keep working.
ALTER TABLE renditions ADD COLUMN IF NOT EXISTS made_at DATETIME(3) NULL;
