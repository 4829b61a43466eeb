package shape

import (
	"fmt"
	"strings"
	"testing"
)

func TestContentsTellWhatAValueHas(t *testing.T) {
	of := Map(map[string]Shape{"at": Time(),
		"slots": List(Map(map[string]Shape{"dock": Text(), "free": Bool()}, "free")), "names": List(Text()),
		"state": {"type": "string", "enum": []any{"open", "full"}, "description": "How it is"},
		"any":   nil}, "any")
	var got []string
	for _, p := range of.Contents() {
		got = append(got, fmt.Sprintf("%s %s %t %v %s", p.Path, p.Kind, p.Sure, p.Choices, p.What))
	}
	want := "any  false [] |at time true [] |names list true [] |slots list true [] |slots[].dock text true [] |" +
		"slots[].free bool false [] |state text true [open full] How it is"
	if all := strings.Join(got, "|"); all != want {
		t.Errorf("its contents are\n%s\nwant\n%s", all, want)
	}
	if one := Text().Contents(); len(one) != 1 || one[0].Path != "" || one[0].Kind != "text" {
		t.Errorf("a text is %+v", one)
	}
	deep := Text()
	for range 50 {
		deep = Map(map[string]Shape{"a": deep, "b": Number()})
	}
	wide := map[string]Shape{}
	for i := range 500 {
		wide[fmt.Sprint("f", i)] = deep
	}
	if n := len(Map(wide).Contents()); n != mostContents {
		t.Errorf("a large shape has %d told, want %d", n, mostContents)
	}
}
