-- What a server has left to do after a migration, once. Older servers keep working.
CREATE TABLE IF NOT EXISTS upgrades_due (
  name VARCHAR(64) CHARACTER SET ascii NOT NULL,
  PRIMARY KEY (name)
);
-- Renditions with embedded metadata are made again: they may show previews of what was cropped or pixelated.
INSERT IGNORE INTO upgrades_due (name) VALUES ('embedded-metadata');
-- Files of types that earlier servers could not decode get renditions.
INSERT IGNORE INTO upgrades_due (name) VALUES ('more-types');
