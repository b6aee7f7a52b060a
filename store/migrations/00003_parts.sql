-- +goose Up
-- A site is kept as its parts: one row for each network, router, device, forward …,
-- whole, in the JSON of the site file; what is no list is in sites.head. The rows of
-- the tables before are taken over here. This stays as it is, whatever the program
-- becomes.
CREATE TABLE parts (
  site TEXT NOT NULL REFERENCES sites(id), list TEXT NOT NULL, key TEXT NOT NULL, pos INTEGER NOT NULL,
  body TEXT NOT NULL CHECK (json_valid(body)),
  PRIMARY KEY (site, list, key)
) STRICT, WITHOUT ROWID;
ALTER TABLE sites ADD COLUMN head TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(head));
ALTER TABLE sites ADD COLUMN notice TEXT NOT NULL DEFAULT '';
ALTER TABLE journal ADD COLUMN format INTEGER NOT NULL DEFAULT 1;
ALTER TABLE journal ADD COLUMN touches TEXT;
ALTER TABLE journal ADD COLUMN "window" TEXT NOT NULL DEFAULT '';
CREATE INDEX journal_version ON journal (site, version);
UPDATE sites SET head = json_object('name', name);

INSERT INTO parts SELECT site, 'networks', 'network:' || id, pos, json_object('id', id, 'name', name, 'subnet', subnet, 'gateway', gateway,
  'dns', json((SELECT json_group_array(d.address ORDER BY d.pos) FROM network_dns d WHERE d.site = n.site AND d.network = n.id)),
  'ranges', json((SELECT json_group_array(json_object('from', r.low, 'to', r.high) ORDER BY r.pos) FROM ranges r WHERE r.site = n.site AND r.network = n.id)),
  'bands', json((SELECT json_group_array(json_object('name', b.name, 'from', b.low, 'to', b.high,
      'kinds', json((SELECT json_group_array(k.kind ORDER BY k.pos) FROM band_kinds k WHERE k.site = b.site AND k.network = b.network AND k.band = b.pos))) ORDER BY b.pos)
    FROM bands b WHERE b.site = n.site AND b.network = n.id)),
  'keepFree', json((SELECT json_group_array(json_object('from', k.low, 'to', k.high, 'why', k.why) ORDER BY k.pos) FROM keep_free k WHERE k.site = n.site AND k.network = n.id)),
  'dhcpServers', json((SELECT json_group_array(json_object('address', s.address, 'offers', s.offers, 'gateway', s.gateway, 'lease', s.lease, 'at', s.at) ORDER BY s.pos)
    FROM dhcp_servers s WHERE s.site = n.site AND s.network = n.id))) FROM networks n;

INSERT INTO parts SELECT site, 'routers', 'router:' || id, pos, json_object('id', id, 'name', name, 'network', network, 'upstream', coalesce(upstream, ''),
  'wan', json_object('address', wan_address, 'kind', wan_kind, 'name', wan_name), 'upnp', upnp,
  'ownPorts', json((SELECT json_group_array(json_object('protocol', o.protocol, 'ports', o.ports, 'why', o.why) ORDER BY o.pos) FROM own_ports o WHERE o.site = x.site AND o.router = x.id)),
  'form', json_object('portsPerLine', ports_per_line, 'renumber', renumber, 'limitsSender', limits_sender, 'lines', lines, 'reserves', reserves, 'reservationLines', reservation_lines,
    'protocols', json((SELECT json_group_array(p.protocol ORDER BY p.pos) FROM form_protocols p WHERE p.site = x.site AND p.router = x.id)))) FROM routers x;

INSERT INTO parts SELECT site, 'devices', 'device:' || id, pos, json_object('id', id, 'name', name, 'kind', kind, 'place', place, 'rank', rank,
  'accepted', json(iif(accepted, 'true', 'false')),
  'interfaces', json((SELECT json_group_array(json_object('id', i.id, 'name', i.name, 'network', i.network, 'mac', i.mac, 'seen', i.seen, 'wants', i.wants, 'first', i.first,
      'pin', json(iif(i.pin_address IS NULL, 'null', json_object('address', i.pin_address, 'by', i.pin_by, 'locked', json(iif(i.pin_locked, 'true', 'false'))))),
      'evidence', json((SELECT json_group_array(json_object('source', e.source, 'line', e.line, 'at', e.at, 'address', e.address, 'host', e.host, 'state', e.state, 'until', e.until,
          'traits', json((SELECT json_group_array(json_object('name', t.name, 'value', t.value) ORDER BY t.pos) FROM traits t
            WHERE t.site = e.site AND t.interface = e.interface AND t.evidence = e.pos))) ORDER BY e.pos)
        FROM evidence e WHERE e.site = i.site AND e.interface = i.id))) ORDER BY i.pos)
    FROM interfaces i WHERE i.site = d.site AND i.device = d.id)),
  'services', json((SELECT json_group_array(json_object('id', s.id, 'name', s.name, 'interface', s.interface, 'protocol', s.protocol, 'ports', s.ports,
      'open', json(iif(s.open_port IS NULL, 'null', json_object('port', s.open_port, 'prefer', s.open_prefer, 'router', coalesce(s.open_router, ''),
        'from', json((SELECT json_group_array(o.sender ORDER BY o.pos) FROM open_senders o WHERE o.site = s.site AND o.service = s.id))))),
      'canSetTo', json((SELECT json_group_array(a.ports ORDER BY a.pos) FROM alternatives a WHERE a.site = s.site AND a.service = s.id))) ORDER BY s.pos)
    FROM services s WHERE s.site = d.site AND s.device = d.id))) FROM devices d;

INSERT INTO parts SELECT site, 'forwards', 'forward:' || id, pos, json_object('id', id, 'name', name, 'router', router, 'enabled', json(iif(enabled, 'true', 'false')),
  'protocol', protocol, 'outside', outside, 'to', target, 'inside', inside, 'service', coalesce(service, ''), 'locked', json(iif(locked, 'true', 'false')),
  'from', json((SELECT json_group_array(s.sender ORDER BY s.pos) FROM forward_senders s WHERE s.site = f.site AND s.forward = f.id))) FROM forwards f;

INSERT INTO parts SELECT site, 'done', 'step:' || step, row_number() OVER (PARTITION BY site ORDER BY step) - 1,
  json_object('step', step, 'at', at, 'values', "values") FROM done;
INSERT INTO parts SELECT site, 'makers', 'makers:' || pos, pos, json_object('prefix', prefix, 'name', name) FROM makers;
INSERT INTO parts SELECT site, 'visits', 'visit:' || id, pos, json_object('id', id, 'from', since, 'until', until, 'note', note,
  'seen', json((SELECT json_group_array(json_object('interface', s.interface, 'mac', s.mac, 'address', s.address, 'host', s.host) ORDER BY s.pos)
    FROM visit_seen s WHERE s.site = v.site AND s.visit = v.id))) FROM visits v;

DROP TABLE visit_seen; DROP TABLE visits; DROP TABLE makers; DROP TABLE done; DROP TABLE forward_senders; DROP TABLE forwards;
DROP TABLE alternatives; DROP TABLE open_senders; DROP TABLE services; DROP TABLE traits; DROP TABLE evidence; DROP TABLE interfaces; DROP TABLE devices;
DROP TABLE own_ports; DROP TABLE form_protocols; DROP TABLE routers;
DROP TABLE dhcp_servers; DROP TABLE keep_free; DROP TABLE band_kinds; DROP TABLE bands; DROP TABLE ranges; DROP TABLE network_dns; DROP TABLE networks;

-- +goose Down
SELECT 1;
