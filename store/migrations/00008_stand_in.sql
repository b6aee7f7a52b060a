-- +goose Up
-- An address that this computer took to stand in for a device, and has not given back yet.
CREATE TABLE stand_in (link TEXT NOT NULL, address TEXT NOT NULL, PRIMARY KEY (link, address)) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE stand_in;
