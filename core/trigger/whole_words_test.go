package trigger

import "testing"

func TestWholeWords(t *testing.T) {
	for _, c := range []struct {
		has, lacks []string
		text       string
		want       bool
	}{
		{[]string{"offer"}, nil, "Our Offer for lot 14", true},
		{[]string{"offer"}, nil, "You offered too little", false},
		{[]string{"offer"}, nil, "(offer)", true},
		{[]string{"offer"}, nil, "offer", true},
		{[]string{"offer", "lot"}, nil, "the offer", false},
		{[]string{"out of office"}, nil, "I am out of\n  office till Monday", true},
		{nil, []string{"re"}, "we are here", true},
		{nil, []string{"re"}, "Re: lot 14", false},
		{[]string{"größe"}, nil, "Die Größe stimmt", true},
		{[]string{"größ"}, nil, "Die Größe stimmt", false},
		{[]string{"lot 1"}, nil, "lot 14", false},
		{[]string{"a+b"}, nil, "a+b is not ab", true},
		{[]string{"#12"}, nil, "see #12.", true},
		{nil, nil, "", true},
	} {
		w := WholeWords{Has: c.has, Lacks: c.lacks}
		if got := w.In(c.text); got != c.want {
			t.Errorf("has %q, lacks %q: %q is taken: %v", c.has, c.lacks, c.text, got)
		}
	}
}
