package site

import (
	"reflect"
	"strings"
	"testing"
)

func TestParseMAC(t *testing.T) {
	for text, want := range map[string]MAC{
		"00:00:5E:00:53:21": "00:00:5e:00:53:21", "00-00-5e-00-53-21": "00:00:5e:00:53:21", "0000.5e00.5321": "00:00:5e:00:53:21", "00005e005321": "00:00:5e:00:53:21",
		"00005e-005321": "00:00:5e:00:53:21", "0:0:5e:0:53:1": "00:00:5e:00:53:01", "00 00 5e 00 53 21": "00:00:5e:00:53:21",
		"00:00:00:00:00:00": "", "ff:ff:ff:ff:ff:ff": "", "01:00:5e:00:00:fb": "", "00:00:5e:00:53": "", "00:00:5e:00:53:2g": "", "00:00-5e:00:53:21": "", "": "", "00:00:5e:00:53:211": "",
	} {
		got, err := ParseMAC(text)
		if got != want || (err != nil) != (want == "") {
			t.Errorf("%q: got %q, %v", text, got, err)
		}
	}
	if !MAC("72:1e:8b:20:9a:04").Randomised() || MAC("00:00:5e:00:53:21").Randomised() {
		t.Error("which MAC addresses are made up")
	}
}

// A sender is one address or a whole network; what could be either is refused.
func TestParseSender(t *testing.T) {
	for text, want := range map[string]string{"198.51.100.7": "198.51.100.7", " 198.51.100.0/24 ": "198.51.100.0/24", "198.51.100.7/32": "198.51.100.7", "198.51.100.7/24": "", "0.0.0.0/0": "0.0.0.0/0", "10.0.0": "", "": "", "2001:db8::1": ""} {
		got, err := ParseSender(text)
		if (err == nil) != (want != "") || err == nil && got.String() != want {
			t.Errorf("%q: got %v, %v", text, got, err)
		}
	}
	if _, err := ParseSender("198.51.100.7/24"); err == nil || !strings.Contains(err.Error(), "either the one address 198.51.100.7 or the network 198.51.100.0/24") {
		t.Errorf("got %v", err)
	}
}

// Each word that a site can have is read, and no other.
func TestWordsAreReadAndNoOthers(t *testing.T) {
	met := map[reflect.Type]bool{}
	var visit func(reflect.Type)
	visit = func(of reflect.Type) {
		if met[of] {
			return
		}
		met[of] = true
		value := reflect.New(of)
		if list, ok := value.Interface().(interface {
			Words() []string
			UnmarshalText([]byte) error
		}); ok {
			for _, word := range list.Words() {
				if err := list.UnmarshalText([]byte(word)); err != nil || value.Elem().String() != word {
					t.Errorf("%v: %q is read as %q: %v", of, word, value.Elem(), err)
				}
			}
			if err := list.UnmarshalText(nil); err != nil || value.Elem().String() != "" {
				t.Errorf("%v: no word is %q, %v", of, value.Elem(), err)
			}
			for _, text := range []string{"perhaps", " " + list.Words()[0], strings.ToUpper(list.Words()[0])} {
				if err := list.UnmarshalText([]byte(text)); err == nil {
					t.Errorf("%v takes %q", of, text)
				}
			}
		}
		switch of.Kind() {
		case reflect.Struct:
			for i := range of.NumField() {
				visit(of.Field(i).Type)
			}
		case reflect.Slice, reflect.Pointer:
			visit(of.Elem())
		}
	}
	visit(reflect.TypeFor[Site]())
	if !met[reflect.TypeFor[Wants]()] || !met[reflect.TypeFor[TriedBy]()] {
		t.Error("not all of a site was looked at")
	}
}
