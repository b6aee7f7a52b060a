package cell

import "testing"

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
