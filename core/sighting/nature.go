package sighting

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"vestpin/core/site"
)

// Guess is what a device seems to be, and why. Kind is empty where nothing tells.
type Guess struct {
	Kind    string   `json:"kind"`
	Reasons []string `json:"reasons"`
}

// rule is one thing that tells of a kind, and how much it counts.
type rule struct {
	trait  string
	value  *regexp.Regexp
	kind   string
	weight int
}

func tells(trait, value, kind string, weight int) rule {
	return rule{trait, regexp.MustCompile("(?i)" + value), kind, weight}
}

// rules go by what devices say in the protocols of the trade. Words in titles and
// names count less: a page titled "cameras" may be of a recorder.
var rules = []rule{
	tells(site.TraitType, `^NetworkVideoTransmitter$`, "camera", 5),
	tells(site.TraitType, `^NetworkVideo(Storage|Display)$`, "recorder", 5),
	tells(site.TraitType, `^(InternetGatewayDevice|WANDevice)$`, "router", 6),
	tells(site.TraitType, `^WLANAccessPointDevice$`, "radio", 6),
	tells(site.TraitType, `^Print`, "printer", 5),
	tells(site.TraitType, `^MediaServer$`, "media server", 3),
	tells(site.TraitType, `^MediaRenderer$`, "media player", 3),
	tells(site.TraitType, `^DigitalSecurityCamera$`, "camera", 5),
	tells(site.TraitType, `^Computer$`, "computer", 3),
	tells(site.TraitService, `^_(ipps?|printer|pdl-datastream)\._tcp$`, "printer", 5),
	tells(site.TraitService, `^_rtsp\._tcp$`, "camera", 2),
	tells(site.TraitService, `^RTSP$`, "camera", 3),
	tells(site.TraitService, `^(RDP|_workstation\._tcp)$`, "computer", 4),
	tells(site.TraitService, `^_smb\._tcp$`, "computer", 1),
	tells(site.TraitService, `^(SIP|_sip\._udp)$`, "phone system", 3),
	tells(site.TraitService, `^(MQTT|_mqtt\._tcp)$`, "controller", 2),
	tells(site.TraitDescription, `\bswitch\b`, "switch", 5),
	tells(site.TraitDescription, `\baccess point\b|\bwireless\b`, "radio", 5),
	tells(site.TraitDescription, `\brouter\b|\bgateway\b`, "router", 4),
	tells(site.TraitDescription, `\bprinter\b`, "printer", 4),
}

// words are what names, titles and models mostly hold, in several languages.
var words = []rule{
	tells("", `\b(nvr|dvr|recorder|rekorder)\b`, "recorder", 4),
	tells("", `\b(cam|camera|kamera|caméra|cámara|telecamera|câmera)\b|カメラ`, "camera", 2),
	tells("", `\b(printer|drucker|imprimante|impresora|stampante|drukarka|impressora|label)\b`, "printer", 2),
	tells("", `\bswitch\b`, "switch", 3),
	tells("", `\b(door|intercom|doorbell|türstation)\b`, "door entry", 4),
	tells("", `\b(phone|telefon|téléphone|voip|pbx|voice)\b`, "phone system", 2),
	tells("", `\b(till|pos|kasse|caisse|kassa)\b`, "till", 2),
	tells("", `\b(solar|inverter|meter|heat pump|wallbox)\b`, "meter", 3),
	tells("", `\b(tv|television|fernseher)\b`, "television", 3),
	tells("", `\b(nas|storage)\b`, "media server", 2),
	tells("", `\b(pc|desktop|laptop|notebook|workstation)\b`, "computer", 2),
	tells("", `\b(decoder|encoder)\b`, "video link", 3),
	tells("", `\b(kiln|plc|controller|thermostat)\b`, "controller", 2),
}

// anyWord passes a text that one of the words may be in: most hold none.
var anyWord = func() *regexp.Regexp {
	var all []string
	for _, r := range words {
		all = append(all, r.value.String())
	}
	return regexp.MustCompile(strings.Join(all, "|"))
}()

// likely is the weight from which a guess is told.
const likely = 2

// spoken are the traits whose words count.
var spoken = []string{site.TraitTitle, site.TraitModel, site.TraitServer, site.TraitCertificate, site.TraitVendor}

// Nature guesses what a device is from its evidence. It never looks at what the
// user says of it.
func Nature(d site.Device) Guess {
	weight, reasons := map[string]int{}, map[string][]string{}
	counted := map[string]bool{}
	count := func(r rule, why string) {
		if key := r.kind + "\x00" + r.trait + r.value.String(); !counted[key] {
			counted[key] = true
			weight[r.kind] += r.weight
			reasons[r.kind] = append(reasons[r.kind], why)
		}
	}
	countWords := func(text, why string) {
		if !anyWord.MatchString(text) {
			return
		}
		for _, r := range words {
			if r.value.MatchString(text) {
				count(r, why)
			}
		}
	}
	random := false
	// What is told in several ways is looked at once.
	told, called := map[site.Trait]bool{}, map[string]bool{}
	for _, n := range d.Interfaces {
		random = random || n.MAC.Randomised()
		for _, e := range n.Evidence {
			for _, t := range e.Traits {
				if told[t] {
					continue
				}
				told[t] = true
				for _, r := range rules {
					if r.trait == t.Name && r.value.MatchString(t.Value) {
						count(r, says(t, e.State))
					}
				}
				if slices.Contains(spoken, t.Name) {
					countWords(t.Value, says(t, e.State))
				}
			}
			if e.Host != "" && !called[e.Host] {
				called[e.Host] = true
				countWords(wordsOf(e.Host), fmt.Sprintf("it calls itself “%s”", e.Host))
			}
		}
	}
	kinds := slices.Collect(maps.Keys(weight))
	slices.SortFunc(kinds, func(a, b string) int { return cmp.Or(weight[b]-weight[a], strings.Compare(a, b)) })
	switch {
	case len(kinds) > 0 && weight[kinds[0]] >= likely:
		return Guess{kinds[0], reasons[kinds[0]]}
	case random:
		return Guess{"phone", []string{"its MAC address is made up, as phones and tablets do"}}
	}
	return Guess{Reasons: []string{}}
}

// wordsOf takes a host name apart: "cam-22.lan" is "cam", "lan".
func wordsOf(host string) string {
	return strings.Map(func(c rune) rune {
		if c == '-' || c == '_' || c == '.' || c >= '0' && c <= '9' {
			return ' '
		}
		return c
	}, host)
}

// says puts a trait into words.
func says(t site.Trait, state string) string {
	switch t.Name {
	case site.TraitTitle:
		return fmt.Sprintf("page title “%s”", t.Value)
	case site.TraitServer, site.TraitBanner:
		if port, ok := strings.CutPrefix(state, "answers on "); ok {
			return fmt.Sprintf("port %s says “%s”", port, t.Value)
		}
		return fmt.Sprintf("it says it is “%s”", t.Value)
	case site.TraitService:
		return fmt.Sprintf("offers %s", t.Value)
	case site.TraitType:
		return fmt.Sprintf("announces itself as %s", t.Value)
	case site.TraitModel:
		return fmt.Sprintf("model “%s”", t.Value)
	case site.TraitDescription:
		return fmt.Sprintf("describes itself as “%s”", t.Value)
	}
	return fmt.Sprintf("%s “%s”", t.Name, t.Value)
}
