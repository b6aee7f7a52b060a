package past

// Sample is a small site file.
const Sample = `{
  "format": "vestpin-site/1", "name": "Saltmarsh Pottery",
  "networks": [{"id": "main", "name": "Main", "subnet": "10.48.16.0/24", "gateway": "10.48.16.1", "dns": ["10.48.16.1"],
    "ranges": [{"from": "10.48.16.100", "to": "10.48.16.179"}],
    "bands": [{"name": "cameras", "from": "10.48.16.20", "to": "10.48.16.39", "kinds": ["camera", "recorder"]}],
    "keepFree": [{"from": "10.48.16.240", "to": "10.48.16.254", "why": "landlord's lift"}]}],
  "routers": [{"id": "edge", "name": "Hall cupboard router", "network": "main", "upstream": "",
    "wan": {"address": "203.0.113.47", "kind": "dynamic", "name": "studio.example.net"},
    "ownPorts": [{"protocol": "tcp", "ports": "443", "why": "the router's own page"}], "upnp": "on",
    "form": {"portsPerLine": "range", "renumber": "one", "protocols": ["tcp", "udp"], "limitsSender": "no", "lines": 16, "reserves": "anywhere", "reservationLines": 0}}],
  "devices": [{"id": "rec", "name": "Gallery recorder", "kind": "recorder", "place": "office", "rank": 1,
    "interfaces": [{"id": "rec.0", "network": "main", "mac": "00:00:5e:00:53:21", "seen": "10.48.16.112", "wants": "auto",
      "pin": {"address": "10.48.16.20", "by": "reservation", "locked": false}}],
    "services": [{"id": "rec.web", "name": "web page", "interface": "rec.0", "protocol": "tcp", "ports": "80",
      "open": {"port": "any", "prefer": "8020", "from": ["198.51.100.0/24"], "router": "edge"}, "canSetTo": ["81", "8080"]}]}],
  "forwards": [{"id": "f1", "name": "Recorder web page", "router": "edge", "enabled": true, "protocol": "tcp", "outside": "8020",
    "to": "rec.0", "inside": "80", "from": ["198.51.100.0/24"], "service": "rec.web", "locked": true}]
}`
