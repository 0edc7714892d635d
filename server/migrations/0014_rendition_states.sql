-- What is created on request is not due, and what a recipe does not apply to has not failed.
ALTER TABLE renditions MODIFY COLUMN state VARCHAR(16) CHARACTER SET ascii NOT NULL;
UPDATE renditions JOIN recipes ON recipes.name = renditions.recipe
  SET renditions.state = 'on-request' WHERE renditions.state = 'due' AND recipes.made_when = 'on-request';
UPDATE counters JOIN recipes ON counters.scope = CONCAT('recipe:', recipes.name)
  SET counters.name = 'on-request' WHERE counters.name = 'due' AND recipes.made_when = 'on-request';
