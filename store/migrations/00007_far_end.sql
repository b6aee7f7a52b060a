-- +goose Up
-- The pairing text of the helper at the far end, of which there is one at most.
CREATE TABLE far_end (one INTEGER PRIMARY KEY CHECK (one = 1), pairing TEXT NOT NULL) STRICT;

-- +goose Down
DROP TABLE far_end;
