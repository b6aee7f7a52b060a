package cell

import (
	"encoding/json"
	"testing"
)

func TestGuardKeepsFormulasOff(t *testing.T) {
	for text, want := range map[string]string{
		"=1+1": "'=1+1", "+49": "'+49", "-3": "'-3", "@home": "'@home", "\uff1dA1": "'\uff1dA1", " =1": "' =1", "'=1": "''=1", "\tgate": "'\tgate",
		"": "", "gate": "gate", "gate=1": "gate=1", "'gate": "'gate", " gate": " gate",
	} {
		if got := Guard(text); got != want {
			t.Errorf("%q is written %q, want %q", text, got, want)
		}
		if got := Unguard(Guard(text)); got != text {
			t.Errorf("%q comes back as %q", text, got)
		}
	}
}

func TestNothingStrangeIsPrinted(t *testing.T) {
	for text, want := range map[string]string{
		"gate": "gate", "Küche\t2\n": "Küche\t2\n", "a\u009b2Jb": "a2Jb", "a\x1b[2Jb": "a[2Jb", "a\u202egpj.exe": "agpj.exe", "a\x7fb": "ab", "\u2066a\u2069": "a", "a\u2028b": "ab", "a\rb": "ab", "a\xffb": "a?b", "भारत": "भारत", "👩‍🔧": "👩‍🔧",
	} {
		if got := Plain(text); got != want {
			t.Errorf("%q is printed as %q, want %q", text, got, want)
		}
	}
	if got := string(Escaped([]byte("{\"a\":\"\u009b\u202eb\"}\n"))); got != "{\"a\":\"\\u009b\\u202eb\"}\n" {
		t.Errorf("%q", got)
	}
	var back string
	if err := json.Unmarshal(Escaped([]byte("\"x\U000e0041\u202e\"")), &back); err != nil || back != "x\U000e0041\u202e" {
		t.Errorf("%q, %v", back, err)
	}
}
