package read

import (
	"fmt"
	"html"
	"math/rand/v2"
	"strings"
	"testing"
)

// tongue is how pages of a language head their columns, and what stands in columns that
// are neither address nor name.
type tongue struct{ name, address, mac, link, lease, signal, maker, state, ago, wired, on, off string }

var tongues = map[string]tongue{
	"English":    {"Device name", "IP address", "MAC address", "Connection", "Lease time", "Signal", "Manufacturer", "Status", "%d minutes ago", "Wired", "Online", "Offline"},
	"German":     {"Gerätename", "IP-Adresse", "MAC-Adresse", "Verbindung", "Restzeit", "Signalstärke", "Hersteller", "Zustand", "vor %d Minuten", "Kabel", "verbunden", "getrennt"},
	"French":     {"Nom de l'appareil", "Adresse IP", "Adresse MAC", "Connexion", "Temps restant", "Signal", "Fabricant", "État", "il y a %d minutes", "Filaire", "connecté", "déconnecté"},
	"Spanish":    {"Nombre del dispositivo", "Dirección IP", "Dirección MAC", "Conexión", "Tiempo restante", "Señal", "Fabricante", "Estado", "hace %d minutos", "cable", "conectado", "desconectado"},
	"Italian":    {"Nome dispositivo", "Indirizzo IP", "Indirizzo MAC", "Connessione", "Scadenza", "Segnale", "Produttore", "Stato", "%d minuti fa", "cablato", "connesso", "disconnesso"},
	"Dutch":      {"Apparaatnaam", "IP-adres", "MAC-adres", "Verbinding", "Resterend", "Signaal", "Fabrikant", "Status", "%d minuten geleden", "bedraad", "verbonden", "niet verbonden"},
	"Portuguese": {"Nome do dispositivo", "Endereço IP", "Endereço MAC", "Ligação", "Tempo restante", "Sinal", "Fabricante", "Estado", "há %d minutos", "com fio", "conectado", "desligado"},
	"Polish":     {"Nazwa urządzenia", "Adres IP", "Adres MAC", "Połączenie", "Pozostały czas", "Sygnał", "Producent", "Stan", "%d minut temu", "przewodowe", "połączony", "rozłączony"},
	"Czech":      {"Název zařízení", "IP adresa", "MAC adresa", "Připojení", "Vyprší", "Signál", "Výrobce", "Stav", "před %d minut", "kabelem", "připojeno", "odpojeno"},
	"Swedish":    {"Enhetsnamn", "IP-adress", "MAC-adress", "Anslutning", "Återstår", "Signalstyrka", "Tillverkare", "Status", "%d minuter sedan", "trådbunden", "ansluten", "frånkopplad"},
	"Turkish":    {"Cihaz adı", "IP adresi", "MAC adresi", "Bağlantı", "Kalan süre", "Sinyal", "Üretici", "Durum", "%d dakika önce", "kablolu", "bağlı", "bağlı değil"},
	"Russian":    {"Имя устройства", "IP-адрес", "MAC-адрес", "Подключение", "Осталось", "Сигнал", "Производитель", "Состояние", "%d минут назад", "проводное", "подключен", "отключен"},
	"Chinese":    {"设备名称", "IP地址", "MAC地址", "连接方式", "剩余时间", "信号强度", "厂商", "状态", "%d 分钟前", "有线", "在线", "离线"},
	"Japanese":   {"ホスト名", "IPアドレス", "MACアドレス", "接続方法", "残り時間", "電波強度", "メーカー", "状態", "%d 分前", "有線", "接続中", "切断"},
	"Arabic":     {"اسم الجهاز", "عنوان IP", "عنوان MAC", "الاتصال", "المدة", "الإشارة", "الشركة المصنعة", "الحالة", "منذ %d دقيقة", "سلكي", "متصل", "غير متصل"},
}

// guessed is a made-up device and what its page shows of it, by the key of the column.
type guessed struct {
	name, mac, address string
	cells              map[string]string
}

// randomDevices makes devices, of which some have no name, and some no address.
func randomDevices(r *rand.Rand, w tongue) []guessed {
	names := []string{"recorder", "cam-22", "Küche", "till 1", "Imprimante étiquettes", "カメラ", "front door", "kiln-3", "office-pc", "Dr. Sample's tablet", "TV", "sensor_17", "phone-ana", "камера двор", "Yard (left)", "4711"}
	makers := []string{"Madeup Imaging Ltd.", "Sample Networks Inc.", "Beispiel GmbH", "Foo & Sons", "Madeup Imaging Ltd."}
	r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	irregular := r.IntN(3) == 0
	var out []guessed
	for i := range 3 + r.IntN(9) {
		d := guessed{name: names[i], mac: fmt.Sprintf("00:00:5e:00:53:%02x", 0x20+i*7), address: fmt.Sprintf("10.48.16.%d", 20+i*9)}
		if irregular && r.IntN(4) == 0 {
			d.name = ""
		}
		if irregular && r.IntN(6) == 0 {
			d.address = ""
		}
		d.cells = map[string]string{
			"name": d.name, "mac": d.mac, "address": d.address, "no": fmt.Sprint(i + 1),
			"link": []string{"LAN 1", "LAN 2", w.wired, "5 GHz", "2.4 GHz"}[r.IntN(5)], "lease": fmt.Sprintf("%d:%02d:10", r.IntN(24), r.IntN(60)),
			"signal": fmt.Sprintf("-%d dBm", 40+r.IntN(40)), "maker": makers[r.IntN(len(makers))], "ago": fmt.Sprintf(w.ago, 2+r.IntN(50)),
			"state": []string{w.on, w.off}[r.IntN(2)], "version": fmt.Sprintf("5.6.%d.3", r.IntN(2)), "router": "10.48.16.1", "ap": "00:00:5e:00:53:fe", "mask": "255.255.255.0",
			"six": fmt.Sprintf("fe80::200:5eff:fe00:53%02x", 0x20+i*7),
		}
		if d.name == "" {
			d.cells["name"] = []string{"", "-", "*"}[r.IntN(3)]
		}
		if d.address == "" {
			d.cells["address"] = []string{"", "-"}[r.IntN(2)]
		}
		switch r.IntN(3) {
		case 0:
			d.cells["mac"] = strings.ToUpper(d.mac)
		case 1:
			d.cells["mac"] = strings.ReplaceAll(d.mac, ":", "-")
		}
		out = append(out, d)
	}
	return out
}

func (w tongue) head(key string) string {
	return map[string]string{
		"name": w.name, "mac": w.mac, "address": w.address, "no": "#", "link": w.link, "lease": w.lease, "signal": w.signal, "maker": w.maker, "ago": "", "state": w.state,
		"version": "Firmware", "router": "Gateway", "ap": "BSSID", "mask": "Mask", "six": "IPv6",
	}[key]
}

// write shows devices as some page or file would.
func write(r *rand.Rand, w tongue, list []guessed, keys []string, headed bool, layout string) string {
	var b strings.Builder
	row := func(cells []string) {
		switch layout {
		case "tabs":
			b.WriteString(strings.Join(cells, "\t") + "\n")
		case "semicolons":
			b.WriteString(strings.Join(cells, ";") + "\n")
		case "commas":
			for i, c := range cells {
				if i > 0 {
					b.WriteByte(',')
				}
				b.WriteString(`"` + strings.ReplaceAll(c, `"`, `""`) + `"`)
			}
			b.WriteByte('\n')
		case "columns":
			for _, c := range cells {
				b.WriteString(c + strings.Repeat(" ", max(2, 30-len([]rune(c)))))
			}
			b.WriteByte('\n')
		case "page":
			b.WriteString("<tr>")
			for _, c := range cells {
				b.WriteString("<td>" + html.EscapeString(c) + "</td>")
			}
			b.WriteString("</tr>\n")
		case "parts":
			b.WriteString("<div class=row>")
			for _, c := range cells {
				b.WriteString("<div>" + html.EscapeString(c) + "</div>")
			}
			b.WriteString("</div>\n")
		}
	}
	head := func() (out []string) {
		for _, k := range keys {
			out = append(out, w.head(k))
		}
		return out
	}
	switch layout {
	case "page":
		b.WriteString("<!DOCTYPE html><html><body><h2>x</h2><table>")
		defer b.WriteString("</table></body></html>")
	case "parts":
		b.WriteString("<!DOCTYPE html><html><body><div class=list>")
	case "cards", "labels", "run":
		for _, d := range list {
			for _, k := range keys {
				c := d.cells[k]
				switch {
				case layout == "labels" && w.head(k) != "":
					b.WriteString(w.head(k) + ": " + c + "\n")
				case layout != "labels" && c != "" && c != "-" && c != "*":
					b.WriteString(c + "\n")
				}
			}
			if layout == "cards" {
				b.WriteString("\n")
			}
		}
		return b.String()
	}
	if headed {
		row(head())
	}
	for _, d := range list {
		var cells []string
		for _, k := range keys {
			cells = append(cells, d.cells[k])
		}
		row(cells)
	}
	return b.String()
}

// Lists of random columns in random order, in fifteen languages or without headings, as
// tables, files, pages and cards: at most one in a hundred wrong, none lost silently.
func TestRandomLists(t *testing.T) {
	layouts := []string{"tabs", "semicolons", "commas", "columns", "page", "parts", "cards", "labels", "run"}
	all := map[string]*tally{}
	var total tally
	shown := map[string]int{}
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 9))
		languages := sortedKeys(tongues)
		language := languages[r.IntN(len(languages))]
		w := tongues[language]
		layout := layouts[r.IntN(len(layouts))]
		headed := r.IntN(3) > 0
		junk := []string{"no", "link", "lease", "signal", "maker", "ago", "state", "version", "router", "ap", "mask", "six"}
		r.Shuffle(len(junk), func(i, j int) { junk[i], junk[j] = junk[j], junk[i] })
		keys := append([]string{"name", "address", "mac"}, junk[:r.IntN(4)]...)
		r.Shuffle(len(keys), func(i, j int) { keys[i], keys[j] = keys[j], keys[i] })
		if layout == "cards" || layout == "run" {
			keys = append([]string{"name"}, without(keys, "name")...)
		}
		list := randomDevices(r, w)
		var e truth
		for _, d := range list {
			e.Sightings = append(e.Sightings, [3]string{d.mac, d.address, d.name})
		}
		text := write(r, w, list, keys, headed, layout)
		got, err := Text("x", "", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		kind := layout
		if headed && layout != "cards" && layout != "labels" && layout != "run" {
			kind += ", headed"
		}
		if all[kind] == nil {
			all[kind] = &tally{}
		}
		before := *all[kind]
		faults := all[kind].hold(e, got)
		total.hold(e, got)
		if (all[kind].wrong > before.wrong || all[kind].silent > before.silent) && shown[kind] < 3 {
			shown[kind]++
			t.Logf("seed %d, %s, %s, columns %v:\n%s%s\nlists %+v", seed, kind, language, keys, text, strings.Join(faults, "\n"), got.Lists)
		}
	}
	for _, kind := range sortedKeys(all) {
		t.Logf("%-20s %+v", kind, *all[kind])
	}
	t.Logf("%-20s %+v", "all", total)
	if total.right*100 < total.wanted*97 || total.wrong*100 > total.wanted || total.silent > 0 {
		t.Errorf("too many faults: %+v", total)
	}
}

func without(list []string, one string) (out []string) {
	for _, s := range list {
		if s != one {
			out = append(out, s)
		}
	}
	return out
}
