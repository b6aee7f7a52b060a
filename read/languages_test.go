package read

import (
	"fmt"
	"reflect"
	"strings"
	"testing"
)

// words are what a system says in one language: the labels of its own settings
// in their order, the headings of its neighbour table, and the two words for how
// an entry is known.
type words struct {
	adapter, mac, dhcp, address, mask, from, until, gateway, server, dns, preferred string
	iface, heading                                                                  string
	dynamic, static                                                                 string
}

var languages = map[string]words{
	"German":     {"Ethernet-Adapter Ethernet", "Physische Adresse", "DHCP aktiviert", "IPv4-Adresse", "Subnetzmaske", "Lease erhalten", "Lease läuft ab", "Standardgateway", "DHCP-Server", "DNS-Server", "Bevorzugt", "Schnittstelle", "Internetadresse       Physische Adresse     Typ", "dynamisch", "statisch"},
	"French":     {"Carte Ethernet Ethernet", "Adresse physique", "DHCP activé", "Adresse IPv4", "Masque de sous-réseau", "Bail obtenu", "Bail expirant", "Passerelle par défaut", "Serveur DHCP", "Serveurs DNS", "préféré", "Interface", "Adresse Internet      Adresse physique      Type", "dynamique", "statique"},
	"Spanish":    {"Adaptador de Ethernet Ethernet", "Dirección física", "DHCP habilitado", "Dirección IPv4", "Máscara de subred", "Concesión obtenida", "La concesión expira", "Puerta de enlace predeterminada", "Servidor DHCP", "Servidores DNS", "Preferido", "Interfaz", "Dirección de Internet          Dirección física      Tipo", "dinámico", "estático"},
	"Italian":    {"Scheda Ethernet Ethernet", "Indirizzo fisico", "DHCP abilitato", "Indirizzo IPv4", "Subnet mask", "Lease ottenuto", "Scadenza lease", "Gateway predefinito", "Server DHCP", "Server DNS", "Preferenziale", "Interfaccia", "Indirizzo Internet    Indirizzo fisico      Tipo", "dinamico", "statico"},
	"Polish":     {"Karta Ethernet Ethernet", "Adres fizyczny", "DHCP włączone", "Adres IPv4", "Maska podsieci", "Dzierżawa uzyskana", "Dzierżawa wygasa", "Brama domyślna", "Serwer DHCP", "Serwery DNS", "Preferowane", "Interfejs", "Adres internetowy     Adres fizyczny        Typ", "dynamiczne", "statyczne"},
	"Dutch":      {"Ethernet-adapter Ethernet", "Fysiek adres", "DHCP ingeschakeld", "IPv4-adres", "Subnetmasker", "Lease verkregen", "Lease verlopen", "Standaardgateway", "DHCP-server", "DNS-servers", "voorkeur", "Interface", "Internetadres         Fysiek adres          Type", "dynamisch", "statisch"},
	"Portuguese": {"Adaptador Ethernet Ethernet", "Endereço Físico", "DHCP Habilitado", "Endereço IPv4", "Máscara de Sub-rede", "Concessão Obtida", "Concessão Expira", "Gateway Padrão", "Servidor DHCP", "Servidores DNS", "Preferencial", "Interface", "Endereço IP           Endereço físico       Tipo", "dinâmico", "estático"},
	"Japanese":   {"イーサネット アダプター イーサネット", "物理アドレス", "DHCP 有効", "IPv4 アドレス", "サブネット マスク", "リース取得", "リースの有効期限", "デフォルト ゲートウェイ", "DHCP サーバー", "DNS サーバー", "優先", "インターフェイス", "インターネット アドレス      物理アドレス          種類", "動的", "静的"},
}

func label(text string) string { return "   " + text + ". . . . . . . . . . . . : " }

func TestOwnSettingsInEightLanguages(t *testing.T) {
	for name, w := range languages {
		t.Run(name, func(t *testing.T) {
			text := w.adapter + ":\r\n\r\n" + label(w.mac) + "00-00-5E-00-53-7E\r\n" + label(w.dhcp) + "x\r\n" +
				label(w.address) + "10.48.16.126(" + w.preferred + ")\r\n" + label(w.mask) + "255.255.255.0\r\n" + label(w.from) + "2026-11-23 8:12:01\r\n" + label(w.until) + "2026-11-24 8:12:01\r\n" +
				label(w.gateway) + "10.48.16.1\r\n" + label(w.server) + "10.48.16.2\r\n" + label(w.dns) + "10.48.16.3\r\n                                       192.0.2.53\r\n"
			r, err := Text("x", "", []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			if got, want := facts(r), "10.48.16.0/24 10.48.16.126 10.48.16.1 [10.48.16.3 192.0.2.53] []"; got != want {
				t.Errorf("got %s, want %s", got, want)
			}
			if len(r.Unread) > 0 || len(r.Sightings) > 0 {
				t.Errorf("not understood %+v, sightings %+v", r.Unread, r.Sightings)
			}
		})
	}
}

func TestNeighboursInEightLanguages(t *testing.T) {
	for name, w := range languages {
		t.Run(name, func(t *testing.T) {
			text := fmt.Sprintf("\r\n%s: 10.48.16.126 --- 0x5\r\n  %s\r\n  10.48.16.1            00-00-5e-00-53-01     %s   \r\n  10.48.16.20           00-00-5e-00-53-21     %s   \r\n  10.48.16.255          ff-ff-ff-ff-ff-ff     %s    \r\n  224.0.0.251           01-00-5e-00-00-fb     %s    \r\n", w.iface, w.heading, w.dynamic, w.dynamic, w.static, w.static)
			r, err := Text("x", "", []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			want := []string{"4 00:00:5e:00:53:01 10.48.16.1", "5 00:00:5e:00:53:21 10.48.16.20"}
			if got := short(r); !reflect.DeepEqual(got, want) {
				t.Errorf("got %q, want %q", got, want)
			}
		})
	}
}

// A router page says the same in whatever order its columns stand, and in
// whatever notation its MAC addresses are.
func TestColumnsInAnyOrder(t *testing.T) {
	rows := [][]string{
		{"gallery-recorder", "00:00:5e:00:53:21", "10.48.16.20", "LAN 2", "23:12:40"},
		{"Küche", "00-00-5E-00-53-22", "10.48.16.21", "WLAN", "1d 4h"},
		{"كاميرا", "0000.5e00.5323", "10.48.16.22", "WLAN", "0:00:09"},
		{"キルン", "00005e005324", "10.48.16.23", "LAN 2", "12h"},
	}
	want := []string{"2 00:00:5e:00:53:21 10.48.16.20 gallery-recorder", "3 00:00:5e:00:53:22 10.48.16.21 Küche", "4 00:00:5e:00:53:23 10.48.16.22 كاميرا", "5 00:00:5e:00:53:24 10.48.16.23 キルン"}
	for _, sep := range []string{"\t", "   ", ";"} {
		permute([]int{0, 1, 2, 3, 4}, func(order []int) {
			var b strings.Builder
			b.WriteString(strings.Join([]string{"a", "b", "c", "d", "e"}, sep) + "\n")
			for _, row := range rows {
				cells := make([]string, len(order))
				for i, c := range order {
					cells[i] = row[c]
				}
				b.WriteString(strings.Join(cells, sep) + "\n")
			}
			r, err := Text("x", "", []byte(b.String()))
			if err != nil {
				t.Fatal(err)
			}
			if got := short(r); !reflect.DeepEqual(got, want) {
				t.Fatalf("columns %v parted by %q: got %q", order, sep, got)
			}
		})
	}
}

// permute calls f with every order of a list.
func permute(list []int, f func([]int)) {
	var turn func(int)
	turn = func(n int) {
		if n == len(list) {
			f(list)
			return
		}
		for i := n; i < len(list); i++ {
			list[n], list[i] = list[i], list[n]
			turn(n + 1)
			list[n], list[i] = list[i], list[n]
		}
	}
	turn(0)
}
