-- +goose Up
-- What people said the columns of a list hold, for lists of the same shape.
CREATE TABLE list_roles (shape TEXT PRIMARY KEY, roles TEXT NOT NULL CHECK (json_valid(roles)), at TEXT NOT NULL) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE list_roles;
