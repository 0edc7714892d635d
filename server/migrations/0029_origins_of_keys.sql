-- Web pages on which a key may be used. Older servers ignore them, and answer no page of another origin.
ALTER TABLE api_keys ADD COLUMN IF NOT EXISTS origins TEXT NULL AFTER rights;
