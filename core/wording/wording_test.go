package wording

import "testing"

func TestWording(t *testing.T) {
	for got, want := range map[string]string{
		Count(1, "package"):                 "1 package",
		Count(0, "package"):                 "0 packages",
		Count(2, "person", "people"):        "2 people",
		Count(1, "person", "people"):        "1 person",
		Ceiling(0.132):                      "14 %",
		Ceiling(0.14):                       "14 %",
		Ceiling(0.1401):                     "15 %",
		Ceiling(0):                          "0 %",
		Sentence("Shows its offers."):       "Shows its offers.",
		Sentence(" Shows its offers "):      "Shows its offers.",
		Sentence("Really?"):                 "Really?",
		Sentence("And so on…"):              "And so on…",
		Sentence(""):                        "",
		Share(0.134):                        "13 %",
		Share(0.136):                        "14 %",
		People(1):                           "1 person",
		Floor(0.1399):                       "13 %",
		Floor(0.29):                         "29 %",
		OnlyIf("the lock code is off"):      "only if: the lock code is off",
		OnlyIf("not while a card is in it"): "not while a card is in it",
		OnlyIf("Never on a lent phone"):     "Never on a lent phone",
		OnlyIf("nothing else prints"):       "only if: nothing else prints",
	} {
		if got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
