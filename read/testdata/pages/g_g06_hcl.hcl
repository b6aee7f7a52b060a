resource "port_forward" "rec" {
  protocol = "tcp"
  external = 8020
  address  = "10.102.6.20"
  internal = 80
}

resource "port_forward" "tel" {
  protocol = "udp"
  external = 5062
  address  = "10.102.6.40"
  internal = 5060
}
