package e2e_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"sync"
	"testing"

	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/standin"
	"woolsignal/standin/hillline"
	"woolsignal/standin/ledger"
	"woolsignal/standin/postbag"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

func TestTheDeskAnswersInARoomAndInPrivate(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	asked := s.Types(shieling.Said{As: "ines", Room: "docks", Text: "Can I bring 30 fleeces on Thursday morning?"})
	if m := s.BotSays(asked.Thread, "Which farm"); m.From.Name != "Depot desk" || m.Room != "docks" {
		t.Errorf("answered by %s in %s", m.From.Name, m.Room)
	}
	s.Types(shieling.Said{As: "ines", Room: "docks", Thread: asked.Thread, Text: "Hollin Bank"})
	s.BotSays(asked.Thread, "You are booked")
	private := s.Types(shieling.Said{As: "tobias", Direct: true, Text: "What is booked on Thursday?"})
	if m := s.BotSays(private.Thread, "Hollin Bank"); !m.Direct || m.Room != "tobias" {
		t.Errorf("a private question is answered in %s", m.Room)
	}
	for _, m := range s.Chat() {
		if !m.Bot && strings.Join(m.Reactions, "") != "🧶" {
			t.Errorf("“%s” was marked with %v", m.Text, m.Reactions)
		}
	}
}

func TestAMessageIsPostedOnceHoweverOftenTheServiceDies(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Misbehave("shieling", ledger.Order{Match: "POST /api/rooms/docks/messages", Times: 1, Delay: "20s", After: true})
	asked := s.Types(shieling.Said{As: "ines", Room: "docks", Text: "Can I bring 30 fleeces on Thursday morning?"})
	s.BotSays(asked.Thread, "Which farm") // it is there, but its answer is held back
	s.Kill()
	d := s.RunOf("depot-slots", "ends", func(d wire.Detail) bool { return d.Status.Ended() })
	n := 0
	for _, m := range s.Chat() {
		if m.Bot {
			n++
		}
	}
	if d.Status != run.Done || n != 1 {
		t.Errorf("%s %s; the bot wrote %d messages", d.Status, d.Because, n)
	}
}

func TestACallIsAnsweredInTimeByWhoIsKnownByNumber(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	var c hillline.Call
	s.Outside(http.MethodPost, "hill-line", "/calls", map[string]string{"from": "+441632960101"}, &c)
	if want := "Larkrigg depot, good day, Hollin Bank. What can I do for you?"; strings.Join(c.Spoken, "|") != want {
		t.Fatalf("it said %q", c.Spoken)
	}
	s.Outside(http.MethodPost, "hill-line", "/calls/"+c.ID,
		map[string]string{"text": "Can I come on Friday morning with 12 fleeces?"}, &c)
	if last := c.Spoken[len(c.Spoken)-1]; !strings.Contains(last, "You are booked") ||
		!strings.Contains(last, "Hollin Bank") {
		t.Errorf("it said %q", last)
	}
	// A model that thinks for three seconds: the caller is told to hold on.
	s.Misbehave("bellwether", ledger.Order{Match: "POST /v1/chat/completions", Times: 1, Delay: "3s"})
	before := c.Held
	s.Outside(http.MethodPost, "hill-line", "/calls/"+c.ID, map[string]string{"text": "What is booked on Friday?"}, &c)
	if c.Held == before || !strings.Contains(strings.Join(c.Spoken, "\n"), "One moment, please.") ||
		!strings.Contains(c.Spoken[len(c.Spoken)-1], "12 fleeces") {
		t.Errorf("held %d times; it said %q", c.Held, c.Spoken)
	}
	// Nobody is known by this number, and it is answered all the same.
	s.Outside(http.MethodPost, "hill-line", "/calls", map[string]string{"from": "+441632960990"}, &c)
	if !strings.HasPrefix(strings.Join(c.Spoken, ""), "Larkrigg depot, good day.") {
		t.Errorf("a stranger hears %q", c.Spoken)
	}
}

func TestAnInvoiceIsReadFiledWrittenDownAndPassedOn(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", "mails that arrive in INBOX")
	paper := harness.PDF("Thrawl Sacking", "Supplier: Thrawl Sacking", "Number: TS-204", "For 40 wool sacks",
		"Total: 96.40 GBP")
	s.Writes(postbag.Letter{From: "bills@thrawl-sacking.example", To: "office@larkrigg.example",
		Subject: "Invoice TS-204", Text: "Please find our invoice.", Files: map[string][]byte{"TS-204.pdf": paper}})
	m := s.Mailed("treasurer@larkrigg.example", "Fwd: Invoice TS-204")
	if !strings.Contains(m.Text, "invoices/thrawl-sacking-TS-204.pdf") || !strings.Contains(m.Text, "96.4") ||
		strings.Join(m.Files, ",") != "TS-204.pdf" {
		t.Errorf("the treasurer got %q with %v", m.Text, m.Files)
	}
	d := s.RunOf("mailroom-invoices", "ends", func(d wire.Detail) bool { return d.Status.Ended() })
	if d.Status != run.Done {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	rows, err := s.As("Ines").Rows(harness.Context(t), "invoices", wire.RowQuery{})
	if err != nil || len(rows.Rows) != 1 || rows.Rows[0].Values["supplier"] != "Thrawl Sacking" ||
		rows.Rows[0].Values["total"] != 96.4 {
		t.Errorf("the table has %+v, %v", rows.Rows, err)
	}
}

// TestAPaperMadeToHarmFailsAlone sends an invoice whose pages go round in a
// circle: its run fails, since nothing can be read in it, and the next one is read.
func TestAPaperMadeToHarmFailsAlone(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", "mails that arrive in INBOX")
	round := []byte("%PDF-1.4\n1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n2 0 obj\n" +
		"<</Type/Pages/Kids[2 0 R]/Count 1>>\nendobj\nxref\n0 3\n0000000000 65535 f \n0000000009 00000 n \n" +
		"0000000054 00000 n \ntrailer\n<</Size 3/Root 1 0 R>>\nstartxref\n105\n%%EOF\n")
	s.Writes(postbag.Letter{From: "bills@bad-sacks.example", To: "office@larkrigg.example",
		Subject: "Invoice X-1", Text: "Please pay at once.", Files: map[string][]byte{"X-1.pdf": round}})
	d := s.RunOf("mailroom-invoices", "ends", func(d wire.Detail) bool { return d.Status.Ended() })
	if d.Status != run.Failed || !strings.Contains(d.Because, "does not fit after 3 tries") {
		t.Errorf("%s %s", d.Status, d.Because)
	}
	s.Writes(postbag.Letter{From: "bills@thrawl-sacking.example", To: "office@larkrigg.example",
		Subject: "Invoice TS-205", Text: "Please find our invoice.",
		Files: map[string][]byte{"TS-205.pdf": harness.PDF("Supplier: Thrawl Sacking", "Number: TS-205",
			"Total: 9 GBP")}})
	s.Mailed("treasurer@larkrigg.example", "Fwd: Invoice TS-205")
}

func TestAMailThatWasOldIsFlaggedAndOneIsArchived(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", `mails flagged \Flagged in INBOX`)
	s.Writes(postbag.Letter{From: "elin@larkrigg.example", To: "office@larkrigg.example", Subject: "The hayloft",
		Text: "Somebody should look at the hayloft door."})
	first := s.Writes(postbag.Letter{From: "owen@larkrigg.example", To: "office@larkrigg.example", Subject: "A tyre",
		Text: "The lorry needs a tyre."})
	s.Outside(http.MethodPost, "postbag", "/flags",
		map[string]any{"of": "office@larkrigg.example", "mail": 1, "flag": `\Flagged`}, nil)
	if m := s.BotSays("", "The hayloft"); strings.Contains(m.Text, first.Subject) {
		t.Errorf("it told of %q", m.Text)
	}
}

func TestAQuestionByMailIsAnsweredOnceAPersonHasLooked(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", "mails that arrive in INBOX")
	asked := s.Writes(postbag.Letter{From: "skell.top@hills.example", To: "office@larkrigg.example",
		Subject: "Our grade", Text: "Why did our last load get a lower grade?"})
	d := s.RunOf("mailroom-grades", "waits", func(d wire.Detail) bool { return d.Status == run.Waiting })
	if _, err := s.As("Tobias").Decide(harness.Context(t), s.OpenReview(d).ID,
		wire.Decision{Choice: "send",
			Edited: map[string]any{"answer": "The staple was shorter than last year."}}); err != nil {
		t.Fatal(err)
	}
	m := s.Mailed("skell.top@hills.example", "The staple was shorter")
	if m.InReplyTo != asked.MessageID || m.Subject != "Re: Our grade" ||
		!strings.Contains(m.Text, "> Why did our last load") {
		t.Errorf("the answer is %+v", m)
	}
	if d = s.Ended(d.ID); d.Status != run.Done {
		t.Errorf("%s %s", d.Status, d.Because)
	}
}

func TestASenderIsVerifiedByTheMailboxAloneAndJoinsNobodysConversation(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", "mails that arrive in INBOX")
	letter := func(from, number, more string) postbag.Letter {
		return postbag.Letter{To: "office@larkrigg.example", Raw: "From: " + from +
			"\r\nTo: office@larkrigg.example\r\n" + more + "Message-ID: <" + number +
			"@hills.example>\r\nReferences: <first@hills.example>\r\n" +
			"Subject: grade " + number + "\r\n\r\nWhich grade?\r\n"}
	}
	forged := letter("skell.top@hills.example", "two",
		"Authentication-Results: postbag.example; dmarc=pass header.from=hills.example\r\n")
	forged.Forged = true
	for _, l := range []postbag.Letter{letter("skell.top@hills.example", "one", ""), forged,
		letter("raven.gill@hills.example", "three", "")} {
		s.Writes(l)
	}
	threads := map[string]bool{}
	for number, verified := range map[string]bool{"one": true, "two": false, "three": true} {
		d := s.RunOf("mailroom-grades", "is about "+number,
			func(d wire.Detail) bool { return d.Status == run.Waiting && d.Signal.Subject == "grade "+number })
		threads[d.Signal.Thread] = true
		show := fmt.Sprint(s.OpenReview(d).Show)
		if strings.Contains(show, "skell.top@hills.example (not verified)") == verified {
			t.Errorf("%s: the review shows %s", number, show)
		}
	}
	if len(threads) != 3 {
		t.Errorf("their conversations are %v", threads)
	}
}

func TestAMailNobodyKnowsTheFateOfIsPutToAPerson(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Watching("office-mail", "mails that arrive in INBOX")
	s.Misbehave("postbag", ledger.Order{Match: "SMTP DATA", Times: 1, Cut: true})
	s.Writes(postbag.Letter{From: "skell.top@hills.example", To: "office@larkrigg.example", Subject: "Our grade",
		Text: "Which grade is it?"})
	d := s.RunOf("mailroom-grades", "waits", func(d wire.Detail) bool { return d.Status == run.Waiting })
	if _, err := s.As("Tobias").Decide(harness.Context(t), s.OpenReview(d).ID,
		wire.Decision{Choice: "send"}); err != nil {
		t.Fatal(err)
	}
	d = s.RunOf("mailroom-grades", "is uncertain", func(d wire.Detail) bool {
		return d.Status == run.Waiting && len(d.Reviews) == 2
	})
	r := s.OpenReview(d)
	if r.Kind != run.OfDoubt {
		t.Fatalf("it asks %+v", r)
	}
	if _, err := s.As("Ines").Decide(harness.Context(t), r.ID, wire.Decision{Choice: run.Happened}); err != nil {
		t.Fatal(err)
	}
	var all []postbag.Mail
	s.Ended(d.ID)
	s.Outside(http.MethodGet, "postbag", "/mails?of=skell.top@hills.example", nil, &all)
	if len(all) != 2 { // the question, and one answer
		t.Errorf("%d mails went to and fro", len(all))
	}
}

func TestALotSheetIsMadeLookedOverAndSent(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	id, err := s.As("Ines").Start(harness.Context(t), "sale-book",
		wire.Start{Inputs: map[string]any{"sale": "Winter wool sale", "day": "9 December 2026"}})
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.As("Ines").Settled(harness.Context(t), id)
	if err != nil || d.Status != run.Waiting {
		t.Fatalf("%s %s %v", d.Status, d.Because, err)
	}
	r := s.OpenReview(d)
	for _, want := range []string{"Lot sheet no. 1", `"Winter wool sale" on 9 December 2026`,
		"Lot 15  Hill fleece  3310.5 kg", "In all 4965.5 kg"} {
		if !strings.Contains(fmt.Sprint(r.Show), want) {
			t.Errorf("the sheet lacks %q:\n%v", want, r.Show)
		}
	}
	if _, err := s.As("Tobias").Decide(harness.Context(t), r.ID, wire.Decision{Choice: "send"}); err != nil {
		t.Fatal(err)
	}
	for _, mill := range []string{"buyer@verrick-dunn.example", "wool@almery.example"} {
		if m := s.Mailed(mill, "Lot sheet 1"); strings.Join(m.Files, "") != "lot-sheet-1.txt" {
			t.Errorf("%s got %v", mill, m.Files)
		}
	}
}

func TestTheStoreIsAiredOverMCPOnceAPersonSaysSo(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Outside(http.MethodPut, "barn-sensors", "/stores/north",
		map[string]any{"humidity_percent": 71, "temperature_celsius": 8}, nil)
	id, err := s.As("Ines").Start(harness.Context(t), "store-watch",
		wire.Start{Signal: &wire.Signal{Trigger: "rounds"}})
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.As("Ines").Settled(harness.Context(t), id)
	if err != nil || d.Status != run.Waiting {
		t.Fatalf("%s %s %v", d.Status, d.Because, err)
	}
	if _, err := s.As("Elin").Decide(harness.Context(t), s.OpenReview(d).ID,
		wire.Decision{Choice: "open the vents"}); err != nil {
		t.Fatal(err)
	}
	if d = s.Ended(id); d.Status != run.Done {
		t.Fatalf("%s %s", d.Status, d.Because)
	}
	var air struct {
		Humidity float64 `json:"humidity_percent"`
	}
	s.Outside(http.MethodGet, "barn-sensors", "/stores/north", nil, &air)
	if air.Humidity != 62 {
		t.Errorf("the store is at %v %%", air.Humidity)
	}
	s.BotSays("", "on the north store: open the vents")
}

// visitor is somebody on a hosted page.
type visitor struct {
	t   *testing.T
	url string
	key string
	n   int
}

// opens opens the page in several windows at once, which lets it speak first.
func (v *visitor) opens(windows int) {
	v.t.Helper()
	var all sync.WaitGroup
	for range windows {
		all.Go(func() {
			if code, answer := v.send(http.MethodPost, `{"begins": true}`); code != http.StatusAccepted {
				v.t.Errorf("opening the page gives %d: %s", code, answer)
			}
		})
	}
	all.Wait()
}

func (v *visitor) do(method, text string) (int, string) {
	v.t.Helper()
	v.n++
	body, _ := json.Marshal(map[string]string{"id": fmt.Sprint(v.key, v.n), "text": text})
	return v.send(method, string(body))
}

func (v *visitor) send(method, body string) (int, string) {
	request, err := http.NewRequest(method, v.url, strings.NewReader(body))
	if err != nil {
		v.t.Error(err)
		return 0, ""
	}
	request.Header.Set("Authorization", "Visitor "+v.key)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		v.t.Error(err)
		return 0, ""
	}
	defer response.Body.Close()
	answer, _ := io.ReadAll(response.Body)
	return response.StatusCode, string(answer)
}

// hears waits until some words were said to the visitor.
func (v *visitor) hears(words string) string {
	v.t.Helper()
	var all string
	harness.Eventually(v.t, fmt.Sprintf("the visitor hears %q", words), func() bool {
		_, all = v.do(http.MethodGet, "")
		return strings.Contains(all, words)
	})
	return all
}

func (v *visitor) says(text string) {
	v.t.Helper()
	if code, answer := v.do(http.MethodPost, text); code != http.StatusAccepted {
		v.t.Fatalf("%q is answered %d %s", text, code, answer)
	}
}

func TestAVisitorChoosesIsFoundInTheRegisterAndIsHelped(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	v := &visitor{t: t, url: s.URL + "/talk/front-door/messages", key: strings.Repeat("k", 30)}
	v.opens(3)
	if all := v.hears("What is it about?"); strings.Contains(all, `"n":2`) {
		t.Errorf("three windows of one visitor are spoken to as %s", all)
	}
	v.says("wool")
	v.hears("Please choose one of")
	v.says("1")
	v.hears("number of your holding")
	v.says("12")
	v.hears("The number has six digits")
	v.says("999999")
	v.hears("I cannot find 999999")
	s.Kill()
	v.says("410103")
	v.hears("Good to hear from Nettlecote")
	v.says("Thursday morning with 20 fleeces")
	v.hears("You are booked")
	v.says("yes")
	all := v.hears("Until next time")
	if strings.Contains(all, `"run":"0`) {
		t.Errorf("a visitor sees runs: %s", all)
	}
	d := s.RunOf("front-door", "ends", func(d wire.Detail) bool { return d.Status.Ended() })
	if d.Status != run.Done || strings.Join(d.Labels, " ") != "slot helped" {
		t.Errorf("%s %s, labels %v", d.Status, d.Because, d.Labels)
	}
	other := &visitor{t: t, url: v.url, key: strings.Repeat("o", 30)}
	if _, all := other.do(http.MethodGet, ""); strings.Contains(all, "Nettlecote") {
		t.Error("another visitor reads the conversation")
	}
	for name, w := range map[string]*visitor{"no key": {t: t, url: v.url, key: "short"},
		"a page for people who sign in": {t: t, url: s.URL + "/talk/depot/messages", key: v.key}} {
		if code, _ := w.do(http.MethodPost, "hello"); code != http.StatusUnauthorized && code != http.StatusNotFound {
			t.Errorf("%s: %d", name, code)
		}
	}
}

// person signs in at Gatehouse as a person would.
func person(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
}

// allows answers Gatehouse's question and gives where it sends back to.
func allows(t *testing.T, authorize, answer string, scopes ...string) string {
	t.Helper()
	response, err := person(t).PostForm(authorize,
		url.Values{"person": {"ines@larkrigg.example"}, "answer": {answer}, "scope": scopes})
	if err != nil {
		t.Fatal(err)
	}
	response.Body.Close()
	return response.Header.Get("Location")
}

// readAll makes a request and reads its answer whole.
func readAll(t *testing.T, request *http.Request) string {
	t.Helper()
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	data, err := io.ReadAll(response.Body)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// demoKeys are what the stand-ins of a demo ask for.
func demoKeys(t *testing.T, s *harness.Service) standin.Keys {
	t.Helper()
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	return state.Keys
}

// TestSensorsThroughAPipe reaches an MCP server that is a process the service
// starts, by a name its owner allowed.
func TestSensorsThroughAPipe(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ines := s.As("Ines")
	files, err := ines.Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	files["connections/gauges.yaml"] = "connection: gauges\ntitle: Gauges\nmcp: {command: barn-sensors}\n"
	files["connections/other.yaml"] = "connection: other\ntitle: Other\nmcp: {command: reboot}\n"
	if _, err := ines.Apply(harness.Context(t), wire.Files{Files: files}); err != nil {
		t.Fatal(err)
	}
	if v, err := ines.TestConnection(harness.Context(t), "gauges"); err != nil || !v.Fine {
		t.Errorf("%+v %v", v, err)
	}
	if v, err := ines.TestConnection(harness.Context(t), "other"); err != nil || v.Fine ||
		!strings.Contains(v.Words+v.Remedy, "no command reboot is allowed") {
		t.Errorf("a command nobody allowed: %+v %v", v, err)
	}
	harness.Eventually(t, "its tools are in the catalogue", func() bool {
		found, err := ines.Tools(harness.Context(t), "open_vents", "gauges", 5)
		return err == nil && len(found.Tools) == 1
	})
}
