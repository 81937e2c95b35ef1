package language

import "testing"

// The first articles of the Universal Declaration of Human Rights, as the United Nations
// publish them, from memory.
func TestGuess(t *testing.T) {
	for want, text := range map[string]string{
		"en": "All human beings are born free and equal in dignity and rights. They are endowed with reason and conscience and should act towards one another in a spirit of brotherhood.",
		"de": "Alle Menschen sind frei und gleich an Würde und Rechten geboren. Sie sind mit Vernunft und Gewissen begabt und sollen einander im Geist der Brüderlichkeit begegnen.",
		"fr": "Tous les êtres humains naissent libres et égaux en dignité et en droits. Ils sont doués de raison et de conscience et doivent agir les uns envers les autres dans un esprit de fraternité.",
		"es": "Todos los seres humanos nacen libres e iguales en dignidad y derechos y, dotados como están de razón y conciencia, deben comportarse fraternalmente los unos con los otros.",
		"ja": "すべての人間は、生れながらにして自由であり、かつ、尊厳と権利とについて平等である。",
		"zh": "人人生而自由，在尊严和权利上一律平等。",
		"ru": "Все люди рождаются свободными и равными в своем достоинстве и правах.",
		"ar": "يولد جميع الناس أحرارا متساوين في الكرامة والحقوق.",
		"":   "05:12 0.9 m 08:20 3.4 m",
	} {
		if got := Guess(text); got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}
