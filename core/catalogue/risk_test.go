package catalogue

import (
	"reflect"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// A judge, which remembers and looks at all ports at once first, says what the catalogue says
// of each port on each protocol.
func TestJudgeSaysWhatTheCatalogueSays(t *testing.T) {
	c, err := Read(shipped)
	if err != nil {
		t.Fatal(err)
	}
	j := NewJudge(c)
	risky := map[site.Protocol]int{}
	for _, proto := range site.Both.Each() {
		for port := 1; port < 65536; port++ {
			ports := span.Port(port).Set()
			got, want := j.Ports(proto, ports), c.AtPorts(proto, ports)
			if !reflect.DeepEqual(got, want) {
				t.Fatalf("%d/%s: %v, want %v", port, proto, got, want)
			}
			risky[proto] += min(1, len(want))
		}
	}
	if risky[site.TCP] < 20 || risky[site.UDP] < 3 {
		t.Errorf("risky are %v", risky)
	}
}

// Of services that are called alike, the one of the device's own kind tells the risk.
func TestRiskIsOfTheOwnKind(t *testing.T) {
	is := func(risk site.Risk, what string) []site.KindService {
		return []site.KindService{{Name: "control", What: what, Risk: risk, Protocol: site.TCP, Ports: span.Port(4001)}}
	}
	c := Catalogue{Kinds: []site.Kind{{ID: "crane", Services: is(site.RiskDanger, "moves a crane")}, {ID: "lamp", Services: is("", "switches a lamp")}}}
	s := site.Service{Name: "Control ", Protocol: site.TCP, Ports: span.Port(9999)}
	for kind, want := range map[string]string{"crane": "moves a crane", "lamp": ""} {
		for range 2 { // the second time it is remembered
			if what, known := NewJudge(c).Service(kind, s); what != want || !known {
				t.Errorf("of a %s: %q, %v", kind, what, known)
			}
		}
	}
}
