package tool

import (
	"context"
	"strings"
	"testing"

	"woolsignal/core/flow"
	_ "woolsignal/core/protocol"
)

// crook is a protocol that exists in this file alone.
type crook struct{ Shepherd string }

func init() {
	flow.RegisterProtocol("crook", "A shepherd with a crook.", func() flow.Reaching { return &crook{} })
	Register("crook", Protocol{
		Operations: func(_ *Kit, _ *flow.Workspace, c *flow.Connection) ([]*Operation, error) {
			catch := func(context.Context, map[string]any, Sending) (any, error) {
				return map[string]any{"by": c.Is.(*crook).Shepherd}, nil
			}
			return []*Operation{{Tool: flow.Tool{Name: c.ID + "/catch", Title: c.Title + ": catch", ReadOnly: true,
				Resend: flow.ResendSafe}, Call: catch}}, nil
		},
		Try: Trying("catch", nil, "The shepherd is there."),
	})
}

func (*crook) Schemes() ([]string, string) { return []string{"hill"}, "hill://skell" }

func (c *crook) Fields() []flow.Field {
	return []flow.Field{{Name: "shepherd", Into: &c.Shepherd, Required: true, Help: "Who holds it.", Example: "Raven"}}
}

// A protocol that is added in one file here and one in core is read, checked,
// described, tried, spoken and documented.
func TestAMadeUpProtocolIsWhole(t *testing.T) {
	read := func(text string) (*flow.Workspace, string) {
		w, problems := flow.Decode(map[string]string{flow.MainFile: "name: L\nzone: UTC\n",
			"connections/hill.yaml": "connection: hill\ntitle: Hill\n" + text})
		said := ""
		for _, p := range append(problems, w.Check(Catalogue{}.Find)...) {
			said += p.What + "\n"
		}
		return w, said
	}
	for text, want := range map[string]string{
		"crook: {shepherd: Raven}\n":                        "the key address is missing",
		"address: https://hill\ncrook: {shepherd: Raven}\n": "is not an address of such a service",
		"address: hill://skell\ncrook: {staff: x}\n":        "crook has no key staff",
	} {
		if _, said := read(text); !strings.Contains(said, want) {
			t.Errorf("%s: %s", text, said)
		}
	}
	w, said := read("address: hill://skell\ncrook: {shepherd: Raven}\n")
	if said != "" {
		t.Fatal(said)
	}
	kit := &Kit{}
	tools, problems := Build(w, kit)
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	got, err := tools["hill/catch"].Call(context.Background(), nil, Sending{})
	if err != nil || got.(map[string]any)["by"] != "Raven" {
		t.Errorf("called: %v, %v", got, err)
	}
	if v := kit.try(context.Background(), w, tools, w.Connections["hill"]); !v.Fine ||
		v.Words != "The shepherd is there." {
		t.Errorf("tried: %+v", v)
	}
	if text, _ := flow.FileSchema("connection"); !strings.Contains(text, `"shepherd"`) {
		t.Error("an editor does not know it")
	}
	if !strings.Contains(flow.TheLanguage().Markdown(), "**crook.** A shepherd with a crook.") {
		t.Error("the reference does not have it")
	}
}
