-- +goose Up
ALTER TABLE devices ADD COLUMN accepted INTEGER NOT NULL DEFAULT 0 CHECK (accepted IN (0, 1));
ALTER TABLE interfaces ADD COLUMN first TEXT NOT NULL DEFAULT '';
ALTER TABLE evidence ADD COLUMN until TEXT NOT NULL DEFAULT '';
CREATE TABLE traits (
  site TEXT NOT NULL, interface TEXT NOT NULL, evidence INTEGER NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL,
  PRIMARY KEY (site, interface, evidence, pos),
  FOREIGN KEY (site, interface, evidence) REFERENCES evidence(site, interface, pos) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE dhcp_servers (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, address TEXT NOT NULL, offers TEXT NOT NULL, gateway TEXT NOT NULL,
  lease INTEGER NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE makers (
  site TEXT NOT NULL REFERENCES sites(id), pos INTEGER NOT NULL, prefix TEXT NOT NULL, name TEXT NOT NULL,
  PRIMARY KEY (site, pos)
) STRICT, WITHOUT ROWID;
CREATE TABLE visits (
  site TEXT NOT NULL REFERENCES sites(id), id TEXT NOT NULL, pos INTEGER NOT NULL, since TEXT NOT NULL, until TEXT NOT NULL, note TEXT NOT NULL,
  PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE visit_seen (
  site TEXT NOT NULL, visit TEXT NOT NULL, pos INTEGER NOT NULL, interface TEXT NOT NULL, mac TEXT NOT NULL, address TEXT NOT NULL, host TEXT NOT NULL,
  PRIMARY KEY (site, visit, pos), FOREIGN KEY (site, visit) REFERENCES visits(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;

-- +goose Down
SELECT 1;
