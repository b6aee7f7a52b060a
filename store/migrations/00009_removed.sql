-- +goose Up
-- A change that was made at two sites at once: where its other half is, so that both are taken back as one.
ALTER TABLE journal ADD COLUMN twin_site TEXT NOT NULL DEFAULT '';
ALTER TABLE journal ADD COLUMN twin_seq INTEGER NOT NULL DEFAULT 0;
-- When a site was removed; it can be had back for a while.
ALTER TABLE sites ADD COLUMN removed TEXT NOT NULL DEFAULT '';

-- +goose Down
SELECT 1;
