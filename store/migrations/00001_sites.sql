-- +goose Up
CREATE TABLE sites (
  id TEXT PRIMARY KEY, name TEXT NOT NULL, version INTEGER NOT NULL CHECK (version > 0),
  created TEXT NOT NULL, changed TEXT NOT NULL
) STRICT;

CREATE TABLE networks (
  site TEXT NOT NULL REFERENCES sites(id), id TEXT NOT NULL, pos INTEGER NOT NULL,
  name TEXT NOT NULL, subnet TEXT NOT NULL, gateway TEXT NOT NULL,
  PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE network_dns (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, address TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE ranges (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, low TEXT NOT NULL, high TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE bands (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, low TEXT NOT NULL, high TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE band_kinds (
  site TEXT NOT NULL, network TEXT NOT NULL, band INTEGER NOT NULL, pos INTEGER NOT NULL, kind TEXT NOT NULL,
  PRIMARY KEY (site, network, band, pos), FOREIGN KEY (site, network, band) REFERENCES bands(site, network, pos) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE keep_free (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, low TEXT NOT NULL, high TEXT NOT NULL, why TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;

CREATE TABLE routers (
  site TEXT NOT NULL, id TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, network TEXT NOT NULL, upstream TEXT,
  wan_address TEXT NOT NULL, wan_kind TEXT NOT NULL, wan_name TEXT NOT NULL, upnp TEXT NOT NULL,
  ports_per_line TEXT NOT NULL, renumber TEXT NOT NULL, limits_sender TEXT NOT NULL, lines INTEGER NOT NULL CHECK (lines >= 0),
  reserves TEXT NOT NULL, reservation_lines INTEGER NOT NULL CHECK (reservation_lines >= 0),
  PRIMARY KEY (site, id), FOREIGN KEY (site, network) REFERENCES networks(site, id),
  FOREIGN KEY (site, upstream) REFERENCES routers(site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE form_protocols (
  site TEXT NOT NULL, router TEXT NOT NULL, pos INTEGER NOT NULL, protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')),
  PRIMARY KEY (site, router, pos), FOREIGN KEY (site, router) REFERENCES routers(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE own_ports (
  site TEXT NOT NULL, router TEXT NOT NULL, pos INTEGER NOT NULL, protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')),
  ports TEXT NOT NULL, why TEXT NOT NULL,
  PRIMARY KEY (site, router, pos), FOREIGN KEY (site, router) REFERENCES routers(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;

CREATE TABLE devices (
  site TEXT NOT NULL REFERENCES sites(id), id TEXT NOT NULL, pos INTEGER NOT NULL,
  name TEXT NOT NULL, kind TEXT NOT NULL, place TEXT NOT NULL, rank INTEGER NOT NULL CHECK (rank BETWEEN 0 AND 99),
  PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE interfaces (
  site TEXT NOT NULL, id TEXT NOT NULL, device TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, network TEXT NOT NULL,
  mac TEXT NOT NULL, seen TEXT NOT NULL, wants TEXT NOT NULL,
  pin_address TEXT, pin_by TEXT CHECK (pin_by IN ('reservation', 'device', 'both')), pin_locked INTEGER NOT NULL CHECK (pin_locked IN (0, 1)),
  CHECK ((pin_address IS NULL) = (pin_by IS NULL)),
  PRIMARY KEY (site, id), FOREIGN KEY (site, device) REFERENCES devices(site, id) ON DELETE CASCADE,
  FOREIGN KEY (site, network) REFERENCES networks(site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE evidence (
  site TEXT NOT NULL, interface TEXT NOT NULL, pos INTEGER NOT NULL, source TEXT NOT NULL, line INTEGER NOT NULL, at TEXT NOT NULL,
  address TEXT NOT NULL, host TEXT NOT NULL, state TEXT NOT NULL,
  PRIMARY KEY (site, interface, pos), FOREIGN KEY (site, interface) REFERENCES interfaces(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE services (
  site TEXT NOT NULL, id TEXT NOT NULL, device TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, interface TEXT NOT NULL,
  protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')), ports TEXT NOT NULL,
  open_port TEXT, open_prefer TEXT NOT NULL, open_router TEXT,
  PRIMARY KEY (site, id), FOREIGN KEY (site, device) REFERENCES devices(site, id) ON DELETE CASCADE,
  FOREIGN KEY (site, interface) REFERENCES interfaces(site, id) ON DELETE CASCADE,
  FOREIGN KEY (site, open_router) REFERENCES routers(site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE open_senders (
  site TEXT NOT NULL, service TEXT NOT NULL, pos INTEGER NOT NULL, sender TEXT NOT NULL,
  PRIMARY KEY (site, service, pos), FOREIGN KEY (site, service) REFERENCES services(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE alternatives (
  site TEXT NOT NULL, service TEXT NOT NULL, pos INTEGER NOT NULL, ports TEXT NOT NULL,
  PRIMARY KEY (site, service, pos), FOREIGN KEY (site, service) REFERENCES services(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;

CREATE TABLE forwards (
  site TEXT NOT NULL, id TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, router TEXT NOT NULL,
  enabled INTEGER NOT NULL CHECK (enabled IN (0, 1)), protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')),
  outside TEXT NOT NULL, target TEXT NOT NULL, inside TEXT NOT NULL, service TEXT, locked INTEGER NOT NULL CHECK (locked IN (0, 1)),
  PRIMARY KEY (site, id), FOREIGN KEY (site, router) REFERENCES routers(site, id),
  FOREIGN KEY (site, service) REFERENCES services(site, id)
) STRICT, WITHOUT ROWID;
CREATE TABLE forward_senders (
  site TEXT NOT NULL, forward TEXT NOT NULL, pos INTEGER NOT NULL, sender TEXT NOT NULL,
  PRIMARY KEY (site, forward, pos), FOREIGN KEY (site, forward) REFERENCES forwards(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE done (
  site TEXT NOT NULL REFERENCES sites(id), step TEXT NOT NULL, at TEXT NOT NULL, "values" TEXT NOT NULL,
  PRIMARY KEY (site, step)
) STRICT, WITHOUT ROWID;

CREATE TABLE journal (
  site TEXT NOT NULL REFERENCES sites(id), seq INTEGER NOT NULL, version INTEGER NOT NULL, at TEXT NOT NULL, who TEXT NOT NULL,
  title TEXT NOT NULL, edits TEXT NOT NULL, undo TEXT NOT NULL, state TEXT NOT NULL CHECK (state IN ('done', 'undone', 'left')),
  PRIMARY KEY (site, seq)
) STRICT, WITHOUT ROWID;

-- +goose Down
SELECT 1;
