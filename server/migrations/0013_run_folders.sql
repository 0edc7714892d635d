-- The folder in which all files of a run are, so that its title can say what it works on.
ALTER TABLE runs ADD COLUMN IF NOT EXISTS folder VARCHAR(1000) NULL AFTER title;
