INSERT INTO hosts (id, name, mac, ip, active) VALUES (1, 'till', '00:00:5e:00:53:21', '10.131.2.21', 1);
INSERT INTO hosts (id, name, mac, ip, active) VALUES (2, 'scale', '00:00:5e:00:53:22', '10.131.2.22', 0);
