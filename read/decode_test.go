package read

import (
	"strings"
	"testing"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	utf16 "golang.org/x/text/encoding/unicode"
)

// The names of devices come out of the code pages in which old systems write them.
func TestCodePages(t *testing.T) {
	for _, c := range []struct {
		name, words string
		in          encoding.Encoding
	}{
		{"German, Windows", "Küche,Aufnahmegerät,Büro", charmap.Windows1252}, {"German, terminal", "Küche,Aufnahmegerät,Büro", charmap.CodePage850},
		{"French, Windows", "Caméra,Entrée,Hôtel", charmap.Windows1252}, {"French, terminal", "Caméra,Entrée,Hôtel", charmap.CodePage850},
		{"Spanish, terminal", "Baño,Salón,Cámara", charmap.CodePage850}, {"Polish", "Łazienka,Wejście główne,Rejestrator księgowość", charmap.Windows1250},
		{"Czech", "Kuchyň,Dveře,Záznamník příjem", charmap.Windows1250}, {"Polish, terminal", "Łazienka,Wejście główne", charmap.CodePage852},
		{"Russian", "Кухня,Камера двор,Касса", charmap.Windows1251}, {"Russian, terminal", "Кухня,Камера двор,Касса", charmap.CodePage866},
		{"Turkish", "Giriş,Mutfak ışığı,Kayıt cihazı", charmap.Windows1254}, {"Japanese", "カメラ,玄関カメラ,レジ", japanese.ShiftJIS},
		{"Chinese", "客厅电视,门口摄像头,收银机", simplifiedchinese.GBK}, {"Korean", "카메라,현관 카메라,계산대", korean.EUCKR},
		{"UTF-16 without a mark", "Küche,Büro,Hall", utf16.UTF16(utf16.LittleEndian, utf16.IgnoreBOM)},
	} {
		var b strings.Builder
		b.WriteString("Name\tIP\tMAC\r\n")
		names := strings.Split(c.words, ",")
		for i, n := range names {
			b.WriteString(n + "\t10.48.16.2" + string(rune('0'+i)) + "\t00:00:5e:00:53:2" + string(rune('0'+i)) + "\r\n")
		}
		data, err := c.in.NewEncoder().String(b.String())
		if err != nil {
			t.Fatal(err)
		}
		r, err := Text("x", "", []byte(data))
		if err != nil || len(r.Sightings) != len(names) {
			t.Errorf("%s: %q, %v", c.name, short(r), err)
			continue
		}
		for i, n := range names {
			if r.Sightings[i].Host != n {
				t.Errorf("%s: %q became %q", c.name, n, r.Sightings[i].Host)
			}
		}
	}
	page := "<html><head><meta charset=\"windows-1250\"></head><table><tr><td>\xa3azienka<td>10.48.16.20<td>00:00:5e:00:53:20</table>"
	if r, err := Text("x", "", []byte(page)); err != nil || len(r.Sightings) != 1 || r.Sightings[0].Host != "Łazienka" {
		t.Errorf("a page: %q, %v", short(r), err)
	}
}
