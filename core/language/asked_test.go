package language

import "testing"

func TestAsked(t *testing.T) {
	for question, want := range map[string]string{
		"Wann darf ich den Rauch anzünden?":                     "de",
		"Wie viele Gläser gehören in eine Kiste?":               "de",
		"Welche Farbe hat die Königin?":                         "de",
		"Quand faut-il nourrir les abeilles ?":                  "fr",
		"Où est la clé du hangar ?":                             "fr",
		"¿Cuánto cuesta un tarro de miel?":                      "es",
		"¿Cuándo hay que alimentar a las abejas en invierno?":   "es",
		"Quanto costa un vasetto di miele?":                     "it",
		"Hoeveel potten gaan er in een doos?":                   "nl",
		"Quanto custa um frasco de mel e quem o vende?":         "pt",
		"Hur många burkar får plats i en låda?":                 "sv",
		"Hvor mange glass er det i en eske?":                    "no",
		"Сколько банок в одной коробке и где они стоят?":        "ru",
		"蜂蜜はいくらですか":                                             "ja",
		"How many jars go into a crate?":                        "en",
		"May I light the smoker in August?":                     "en",
		"When do drones die, and what do we do about wasps?":    "en",
		"What does the abbreviation DIE stand for in the list?": "en",
		"smoker fuel":                    "",
		"varroa":                         "",
		"KX-200 firmware":                "",
		"":                               "",
		"Is there a van for the market?": "en",
		"Who was in the Haus am See last winter?": "en",
		"honey de la forêt":                       "",
	} {
		if got := Asked(question); got != want {
			t.Errorf("%q: %q, not %q", question, got, want)
		}
	}
}
