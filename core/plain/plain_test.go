package plain

import (
	"encoding/json"
	"testing"
)

func TestNothingStrangeIsPrinted(t *testing.T) {
	for text, want := range map[string]string{
		"gate": "gate", "Küche\t2\n": "Küche\t2\n", "a\u009b2Jb": "a2Jb", "a\x1b[2Jb": "a[2Jb", "a\u202egpj.exe": "agpj.exe", "a\x7fb": "ab", "\u2066a\u2069": "a", "a\u2028b": "ab", "a\rb": "ab", "a\xffb": "a?b", "भारत": "भारत", "👩‍🔧": "👩‍🔧",
	} {
		if got := Text(text); got != want {
			t.Errorf("%q is printed as %q, want %q", text, got, want)
		}
	}
	if got := string(JSON([]byte("{\"a\":\"\u009b\u202eb\"}\n"))); got != "{\"a\":\"\\u009b\\u202eb\"}\n" {
		t.Errorf("%q", got)
	}
	var back string
	if err := json.Unmarshal(JSON([]byte("\"x\U000e0041\u202e\"")), &back); err != nil || back != "x\U000e0041\u202e" {
		t.Errorf("%q, %v", back, err)
	}
}
