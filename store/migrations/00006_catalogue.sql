-- +goose Up
-- The firm's own kinds of device, beside those that ship, each as the catalogue has it.
CREATE TABLE own_kinds (id TEXT PRIMARY KEY, pos INTEGER NOT NULL, body TEXT NOT NULL CHECK (json_valid(body))) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE own_kinds;
