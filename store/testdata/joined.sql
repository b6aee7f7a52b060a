BEGIN TRANSACTION;
CREATE TABLE alternatives (
  site TEXT NOT NULL, service TEXT NOT NULL, pos INTEGER NOT NULL, ports TEXT NOT NULL,
  PRIMARY KEY (site, service, pos), FOREIGN KEY (site, service) REFERENCES services(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE band_kinds (
  site TEXT NOT NULL, network TEXT NOT NULL, band INTEGER NOT NULL, pos INTEGER NOT NULL, kind TEXT NOT NULL,
  PRIMARY KEY (site, network, band, pos), FOREIGN KEY (site, network, band) REFERENCES bands(site, network, pos) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "band_kinds" VALUES('saltmarsh-pottery','main',0,0,'camera');
INSERT INTO "band_kinds" VALUES('saltmarsh-pottery','main',0,1,'recorder');
CREATE TABLE bands (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, low TEXT NOT NULL, high TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "bands" VALUES('saltmarsh-pottery','main',0,'cameras','10.48.16.20','10.48.16.39');
CREATE TABLE devices (
  site TEXT NOT NULL REFERENCES sites(id), id TEXT NOT NULL, pos INTEGER NOT NULL,
  name TEXT NOT NULL, kind TEXT NOT NULL, place TEXT NOT NULL, rank INTEGER NOT NULL CHECK (rank BETWEEN 0 AND 99), accepted INTEGER NOT NULL DEFAULT 0 CHECK (accepted IN (0, 1)),
  PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "devices" VALUES('saltmarsh-pottery','lens',2,'Lens','','',0,0);
INSERT INTO "devices" VALUES('saltmarsh-pottery','pbx',0,'Phone system','phone-system','cellar',0,0);
INSERT INTO "devices" VALUES('saltmarsh-pottery','rec',1,'Recorder','','',0,0);
INSERT INTO "devices" VALUES('saltmarsh-pottery','till',3,'Till','','',0,0);
CREATE TABLE dhcp_servers (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, address TEXT NOT NULL, offers TEXT NOT NULL, gateway TEXT NOT NULL,
  lease INTEGER NOT NULL, at TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "dhcp_servers" VALUES('saltmarsh-pottery','main',0,'10.48.16.1','10.48.16.120','10.48.16.1',86400,'2026-11-23T09:00:00Z');
CREATE TABLE done (
  site TEXT NOT NULL REFERENCES sites(id), step TEXT NOT NULL, at TEXT NOT NULL, "values" TEXT NOT NULL,
  PRIMARY KEY (site, step)
) STRICT, WITHOUT ROWID;
INSERT INTO "done" VALUES('saltmarsh-pottery','reserve:pbx.0','2026-11-23T09:42:00Z','IP');
CREATE TABLE evidence (
  site TEXT NOT NULL, interface TEXT NOT NULL, pos INTEGER NOT NULL, source TEXT NOT NULL, line INTEGER NOT NULL, at TEXT NOT NULL,
  address TEXT NOT NULL, host TEXT NOT NULL, state TEXT NOT NULL, until TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (site, interface, pos), FOREIGN KEY (site, interface) REFERENCES interfaces(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "evidence" VALUES('saltmarsh-pottery','card.0',0,'sweep 2',1,'2026-11-24T09:00:00Z','10.48.16.111','','','');
INSERT INTO "evidence" VALUES('saltmarsh-pottery','pbx.0',0,'leases',1,'2026-11-23T09:00:00Z','10.48.16.110','pbx','','');
INSERT INTO "evidence" VALUES('saltmarsh-pottery','rec.0',0,'leases',3,'','','rec','','');
INSERT INTO "evidence" VALUES('saltmarsh-pottery','till.0',0,'leases',5,'','','till','','');
CREATE TABLE form_protocols (
  site TEXT NOT NULL, router TEXT NOT NULL, pos INTEGER NOT NULL, protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')),
  PRIMARY KEY (site, router, pos), FOREIGN KEY (site, router) REFERENCES routers(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "form_protocols" VALUES('saltmarsh-pottery','edge',0,'tcp');
INSERT INTO "form_protocols" VALUES('saltmarsh-pottery','edge',1,'udp');
CREATE TABLE forward_senders (
  site TEXT NOT NULL, forward TEXT NOT NULL, pos INTEGER NOT NULL, sender TEXT NOT NULL,
  PRIMARY KEY (site, forward, pos), FOREIGN KEY (site, forward) REFERENCES forwards(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "forward_senders" VALUES('saltmarsh-pottery','f1',0,'198.51.100.0/24');
CREATE TABLE forwards (
  site TEXT NOT NULL, id TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, router TEXT NOT NULL,
  enabled INTEGER NOT NULL CHECK (enabled IN (0, 1)), protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')),
  outside TEXT NOT NULL, target TEXT NOT NULL, inside TEXT NOT NULL, service TEXT, locked INTEGER NOT NULL CHECK (locked IN (0, 1)),
  PRIMARY KEY (site, id), FOREIGN KEY (site, router) REFERENCES routers(site, id),
  FOREIGN KEY (site, service) REFERENCES services(site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "forwards" VALUES('saltmarsh-pottery','f1',0,'Calls','edge',1,'udp','5060','card.0','','card.sip',0);
CREATE TABLE goose_db_version (
		id INTEGER PRIMARY KEY AUTOINCREMENT,
		version_id INTEGER NOT NULL,
		is_applied INTEGER NOT NULL,
		tstamp TIMESTAMP DEFAULT (datetime('now'))
	);
INSERT INTO "goose_db_version" VALUES(1,0,1,'2026-11-25 11:22:05');
INSERT INTO "goose_db_version" VALUES(2,1,1,'2026-11-25 11:22:05');
INSERT INTO "goose_db_version" VALUES(3,2,1,'2026-11-25 11:22:05');
CREATE TABLE interfaces (
  site TEXT NOT NULL, id TEXT NOT NULL, device TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, network TEXT NOT NULL,
  mac TEXT NOT NULL, seen TEXT NOT NULL, wants TEXT NOT NULL,
  pin_address TEXT, pin_by TEXT CHECK (pin_by IN ('reservation', 'device', 'both')), pin_locked INTEGER NOT NULL CHECK (pin_locked IN (0, 1)), first TEXT NOT NULL DEFAULT '',
  CHECK ((pin_address IS NULL) = (pin_by IS NULL)),
  PRIMARY KEY (site, id), FOREIGN KEY (site, device) REFERENCES devices(site, id) ON DELETE CASCADE,
  FOREIGN KEY (site, network) REFERENCES networks(site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "interfaces" VALUES('saltmarsh-pottery','card.0','pbx',1,'','main','00:00:5e:00:53:11','10.48.16.111','auto',NULL,NULL,0,'');
INSERT INTO "interfaces" VALUES('saltmarsh-pottery','lens.0','lens',0,'','main','00:00:5e:00:53:22','','auto',NULL,NULL,0,'');
INSERT INTO "interfaces" VALUES('saltmarsh-pottery','pbx.0','pbx',0,'','main','00:00:5e:00:53:10','10.48.16.110','auto','10.48.16.10','reservation',0,'');
INSERT INTO "interfaces" VALUES('saltmarsh-pottery','rec.0','rec',0,'','main','00:00:5e:00:53:21','','auto',NULL,NULL,0,'');
INSERT INTO "interfaces" VALUES('saltmarsh-pottery','till.0','till',0,'','main','00:00:5e:00:53:31','','auto',NULL,NULL,0,'');
INSERT INTO "interfaces" VALUES('saltmarsh-pottery','till.1','till',1,'','main','00:00:5e:00:53:32','','auto',NULL,NULL,0,'');
CREATE TABLE journal (
  site TEXT NOT NULL REFERENCES sites(id), seq INTEGER NOT NULL, version INTEGER NOT NULL, at TEXT NOT NULL, who TEXT NOT NULL,
  title TEXT NOT NULL, edits TEXT NOT NULL, undo TEXT NOT NULL, state TEXT NOT NULL CHECK (state IN ('done', 'undone', 'left')),
  PRIMARY KEY (site, seq)
) STRICT, WITHOUT ROWID;
INSERT INTO "journal" VALUES('saltmarsh-pottery',1,2,'2026-11-25T11:22:05.65200866Z','this computer','remove Voice card and 1 more','[{"do":"remove-device","id":"card","only":true},{"do":"put-device","device":{"id":"pbx","name":"Phone system","kind":"phone-system","interfaces":[{"id":"pbx.0","network":"main","mac":"00:00:5e:00:53:10","seen":"10.48.16.110","wants":"auto","pin":{"address":"10.48.16.10","by":"reservation"},"evidence":[{"source":"leases","line":1,"at":"2026-11-23T09:00:00Z","address":"10.48.16.110","host":"pbx","traits":[{"name":"port","value":"80/tcp"}]}]},{"id":"card.0","network":"main","mac":"00:00:5e:00:53:11","seen":"10.48.16.111","wants":"auto","evidence":[{"source":"leases","line":2,"at":"2026-11-23T09:00:00Z","address":"10.48.16.111","host":"voice"},{"source":"sweep","at":"2026-11-23T09:05:00Z","address":"10.48.16.111","state":"answers","traits":[{"name":"port","value":"5060/udp"}]}]}],"services":[{"id":"card.sip","name":"calls","interface":"card.0","protocol":"udp","ports":"5060","open":{"port":"same","from":["198.51.100.0/24"]},"canSetTo":["5062","5064"]}]}}]','[{"do":"put-device","at":0,"device":{"id":"pbx","name":"Phone system","kind":"phone-system","interfaces":[{"id":"pbx.0","network":"main","mac":"00:00:5e:00:53:10","seen":"10.48.16.110","wants":"auto","pin":{"address":"10.48.16.10","by":"reservation"},"evidence":[{"source":"leases","line":1,"at":"2026-11-23T09:00:00Z","address":"10.48.16.110","host":"pbx","traits":[{"name":"port","value":"80/tcp"}]}]}]}},{"do":"put-device","at":1,"device":{"id":"card","name":"Voice card","interfaces":[{"id":"card.0","network":"main","mac":"00:00:5e:00:53:11","seen":"10.48.16.111","wants":"auto","evidence":[{"source":"leases","line":2,"at":"2026-11-23T09:00:00Z","address":"10.48.16.111","host":"voice"},{"source":"sweep","at":"2026-11-23T09:05:00Z","address":"10.48.16.111","state":"answers","traits":[{"name":"port","value":"5060/udp"}]}]}],"services":[{"id":"card.sip","name":"calls","interface":"card.0","protocol":"udp","ports":"5060","open":{"port":"same","from":["198.51.100.0/24"]},"canSetTo":["5062","5064"]}]}}]','done');
INSERT INTO "journal" VALUES('saltmarsh-pottery',2,3,'2026-11-25T11:22:05.697214738Z','this computer','describe Phone system','[{"do":"describe","id":"pbx","place":"cellar"}]','[{"do":"describe","id":"pbx","place":""}]','done');
INSERT INTO "journal" VALUES('saltmarsh-pottery',3,4,'2026-11-25T11:22:05.704087377Z','this computer','enter Phone system','[{"do":"put-device","device":{"id":"pbx","name":"Phone system","kind":"phone-system","place":"cellar","interfaces":[{"id":"pbx.0","network":"main","mac":"00:00:5e:00:53:10","seen":"10.48.16.110","wants":"auto","pin":{"address":"10.48.16.10","by":"reservation"},"evidence":[{"source":"leases","line":1,"at":"2026-11-23T09:00:00Z","address":"10.48.16.110","host":"pbx","traits":[{"name":"port","value":"80/tcp"}]}]},{"id":"card.0","network":"main","mac":"00:00:5e:00:53:11","seen":"10.48.16.111","wants":"auto","evidence":[{"source":"sweep 2","line":1,"at":"2026-11-24T09:00:00Z","address":"10.48.16.111"}]}],"services":[{"id":"card.sip","name":"calls","interface":"card.0","protocol":"udp","ports":"5060","open":{"port":"same"}}]}}]','[{"do":"put-device","at":0,"device":{"id":"pbx","name":"Phone system","kind":"phone-system","place":"cellar","interfaces":[{"id":"pbx.0","network":"main","mac":"00:00:5e:00:53:10","seen":"10.48.16.110","wants":"auto","pin":{"address":"10.48.16.10","by":"reservation"},"evidence":[{"source":"leases","line":1,"at":"2026-11-23T09:00:00Z","address":"10.48.16.110","host":"pbx","traits":[{"name":"port","value":"80/tcp"}]}]},{"id":"card.0","network":"main","mac":"00:00:5e:00:53:11","seen":"10.48.16.111","wants":"auto"}],"services":[{"id":"card.sip","name":"calls","interface":"card.0","protocol":"udp","ports":"5060","open":{"port":"same"}}]}}]','done');
INSERT INTO "journal" VALUES('saltmarsh-pottery',4,6,'2026-11-25T11:22:05.709709904Z','this computer','remove Lens and 1 more','[{"do":"remove-device","id":"lens","only":true},{"do":"put-device","device":{"id":"rec","name":"Recorder","interfaces":[{"id":"rec.0","network":"main","mac":"00:00:5e:00:53:21","wants":"auto","evidence":[{"source":"leases","line":3,"host":"rec"}]},{"id":"lens.0","network":"main","mac":"00:00:5e:00:53:22","wants":"auto","evidence":[{"source":"leases","line":4,"host":"lens"}]}],"services":[{"id":"lens.web","name":"page","interface":"lens.0","protocol":"tcp","ports":"80","open":{"port":"any","from":["192.0.2.7"]},"canSetTo":["81"]}]}}]','[{"do":"put-device","at":1,"device":{"id":"rec","name":"Recorder","interfaces":[{"id":"rec.0","network":"main","mac":"00:00:5e:00:53:21","wants":"auto","evidence":[{"source":"leases","line":3,"host":"rec"}]}]}},{"do":"put-device","at":2,"device":{"id":"lens","name":"Lens","interfaces":[{"id":"lens.0","network":"main","mac":"00:00:5e:00:53:22","wants":"auto","evidence":[{"source":"leases","line":4,"host":"lens"}]}],"services":[{"id":"lens.web","name":"page","interface":"lens.0","protocol":"tcp","ports":"80","open":{"port":"any","from":["192.0.2.7"]},"canSetTo":["81"]}]}}]','left');
INSERT INTO "journal" VALUES('saltmarsh-pottery',5,8,'2026-11-25T11:22:05.721910273Z','this computer','enter Till and 1 more','[{"do":"put-device","device":{"id":"till","name":"Till","accepted":true,"interfaces":[{"id":"till.0","network":"main","mac":"00:00:5e:00:53:31","wants":"auto","evidence":[{"source":"leases","line":5,"host":"till"}]}]}},{"do":"put-device","device":{"id":"d-00005e005332","name":"till-wifi","accepted":true,"interfaces":[{"id":"till.1","network":"main","mac":"00:00:5e:00:53:32","wants":"auto","evidence":[{"source":"leases","line":6,"host":"till-wifi"}]}],"services":[{"id":"till.ssh","interface":"till.1","protocol":"tcp","ports":"22","open":{"port":"any","from":["192.0.2.8"]},"canSetTo":["2222"]}]}}]','[{"do":"remove-device","id":"d-00005e005332","only":true},{"do":"put-device","at":3,"device":{"id":"till","name":"Till","interfaces":[{"id":"till.0","network":"main","mac":"00:00:5e:00:53:31","wants":"auto","evidence":[{"source":"leases","line":5,"host":"till"}]},{"id":"till.1","network":"main","mac":"00:00:5e:00:53:32","wants":"auto","evidence":[{"source":"leases","line":6,"host":"till-wifi"}]}],"services":[{"id":"till.ssh","interface":"till.1","protocol":"tcp","ports":"22","open":{"port":"any","from":["192.0.2.8"]},"canSetTo":["2222"]}]}}]','undone');
CREATE TABLE keep_free (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, low TEXT NOT NULL, high TEXT NOT NULL, why TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "keep_free" VALUES('saltmarsh-pottery','main',0,'10.48.16.240','10.48.16.254','lift');
CREATE TABLE makers (
  site TEXT NOT NULL REFERENCES sites(id), pos INTEGER NOT NULL, prefix TEXT NOT NULL, name TEXT NOT NULL,
  PRIMARY KEY (site, pos)
) STRICT, WITHOUT ROWID;
INSERT INTO "makers" VALUES('saltmarsh-pottery',0,'00:00:5e:00:53','Larkbridge');
CREATE TABLE network_dns (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, address TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "network_dns" VALUES('saltmarsh-pottery','main',0,'10.48.16.1');
INSERT INTO "network_dns" VALUES('saltmarsh-pottery','main',1,'192.0.2.53');
CREATE TABLE networks (
  site TEXT NOT NULL REFERENCES sites(id), id TEXT NOT NULL, pos INTEGER NOT NULL,
  name TEXT NOT NULL, subnet TEXT NOT NULL, gateway TEXT NOT NULL,
  PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "networks" VALUES('saltmarsh-pottery','main',0,'Main','10.48.16.0/24','10.48.16.1');
CREATE TABLE open_senders (
  site TEXT NOT NULL, service TEXT NOT NULL, pos INTEGER NOT NULL, sender TEXT NOT NULL,
  PRIMARY KEY (site, service, pos), FOREIGN KEY (site, service) REFERENCES services(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE TABLE own_ports (
  site TEXT NOT NULL, router TEXT NOT NULL, pos INTEGER NOT NULL, protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')),
  ports TEXT NOT NULL, why TEXT NOT NULL,
  PRIMARY KEY (site, router, pos), FOREIGN KEY (site, router) REFERENCES routers(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "own_ports" VALUES('saltmarsh-pottery','edge',0,'tcp','443','page');
CREATE TABLE ranges (
  site TEXT NOT NULL, network TEXT NOT NULL, pos INTEGER NOT NULL, low TEXT NOT NULL, high TEXT NOT NULL,
  PRIMARY KEY (site, network, pos), FOREIGN KEY (site, network) REFERENCES networks(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "ranges" VALUES('saltmarsh-pottery','main',0,'10.48.16.100','10.48.16.179');
CREATE TABLE routers (
  site TEXT NOT NULL, id TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, network TEXT NOT NULL, upstream TEXT,
  wan_address TEXT NOT NULL, wan_kind TEXT NOT NULL, wan_name TEXT NOT NULL, upnp TEXT NOT NULL,
  ports_per_line TEXT NOT NULL, renumber TEXT NOT NULL, limits_sender TEXT NOT NULL, lines INTEGER NOT NULL CHECK (lines >= 0),
  reserves TEXT NOT NULL, reservation_lines INTEGER NOT NULL CHECK (reservation_lines >= 0),
  PRIMARY KEY (site, id), FOREIGN KEY (site, network) REFERENCES networks(site, id),
  FOREIGN KEY (site, upstream) REFERENCES routers(site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "routers" VALUES('saltmarsh-pottery','edge',0,'Hall','main',NULL,'203.0.113.47','dynamic','studio.example.net','on','range','one','network',16,'anywhere',0);
CREATE TABLE services (
  site TEXT NOT NULL, id TEXT NOT NULL, device TEXT NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, interface TEXT NOT NULL,
  protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp', 'both')), ports TEXT NOT NULL,
  open_port TEXT, open_prefer TEXT NOT NULL, open_router TEXT,
  PRIMARY KEY (site, id), FOREIGN KEY (site, device) REFERENCES devices(site, id) ON DELETE CASCADE,
  FOREIGN KEY (site, interface) REFERENCES interfaces(site, id) ON DELETE CASCADE,
  FOREIGN KEY (site, open_router) REFERENCES routers(site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "services" VALUES('saltmarsh-pottery','card.sip','pbx',0,'calls','card.0','udp','5060','same','',NULL);
INSERT INTO "services" VALUES('saltmarsh-pottery','lens.web','lens',0,'page','lens.0','tcp','80','any','',NULL);
INSERT INTO "services" VALUES('saltmarsh-pottery','till.ssh','till',0,'','till.1','tcp','22','any','',NULL);
CREATE TABLE sites (
  id TEXT PRIMARY KEY, name TEXT NOT NULL, version INTEGER NOT NULL CHECK (version > 0),
  created TEXT NOT NULL, changed TEXT NOT NULL
) STRICT;
INSERT INTO "sites" VALUES('saltmarsh-pottery','Saltmarsh Pottery',8,'2026-11-25T11:22:05.643264863Z','2026-11-25T11:22:05.726118104Z');
CREATE TABLE traits (
  site TEXT NOT NULL, interface TEXT NOT NULL, evidence INTEGER NOT NULL, pos INTEGER NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL,
  PRIMARY KEY (site, interface, evidence, pos),
  FOREIGN KEY (site, interface, evidence) REFERENCES evidence(site, interface, pos) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "traits" VALUES('saltmarsh-pottery','pbx.0',0,0,'port','80/tcp');
CREATE TABLE visit_seen (
  site TEXT NOT NULL, visit TEXT NOT NULL, pos INTEGER NOT NULL, interface TEXT NOT NULL, mac TEXT NOT NULL, address TEXT NOT NULL, host TEXT NOT NULL,
  PRIMARY KEY (site, visit, pos), FOREIGN KEY (site, visit) REFERENCES visits(site, id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO "visit_seen" VALUES('saltmarsh-pottery','v1',0,'pbx.0','00:00:5e:00:53:10','10.48.16.110','pbx');
CREATE TABLE visits (
  site TEXT NOT NULL REFERENCES sites(id), id TEXT NOT NULL, pos INTEGER NOT NULL, since TEXT NOT NULL, until TEXT NOT NULL, note TEXT NOT NULL,
  PRIMARY KEY (site, id)
) STRICT, WITHOUT ROWID;
INSERT INTO "visits" VALUES('saltmarsh-pottery','v1',0,'2026-11-23T09:00:00Z','2026-11-23T12:00:00Z','first');
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('goose_db_version',3);
COMMIT;
