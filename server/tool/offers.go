package tool

import (
	"context"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/store"
)

// offers are what servers said they offer, as it is kept.
type offers struct {
	mu     sync.Mutex // guards onList
	onList func(connection string)
	kept   atomic.Int64 // how often a list was kept anew
}

type offersKey struct{}

func offersOf(k *Kit) *offers {
	return k.Beside(offersKey{}, func() any { return &offers{} }).(*offers)
}

// OnOffersChanged says what to do when what a server offers changed.
func OnOffersChanged(k *Kit, do func(connection string)) {
	o := offersOf(k)
	o.mu.Lock()
	defer o.mu.Unlock()
	o.onList = do
}

// OffersChanged tells whoever makes the catalogue.
func OffersChanged(k *Kit, connection string) {
	if do := offersOf(k).listener(); do != nil {
		do(connection)
	}
}

func (o *offers) listener() func(connection string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.onList
}

// OffersKept counts how often what a server offers was kept anew, whoever asked for it:
// a catalogue made at another count is old.
func OffersKept(k *Kit) int { return int(offersOf(k).kept.Load()) }

// KeepOffers keeps what a server said it offers, as JSON. changed tells whether it
// differs from what was kept.
func KeepOffers(ctx context.Context, k *Kit, connection string, data []byte) (changed bool, err error) {
	if before, err := KeptOffers(k, connection); err == nil && string(before) == string(data) {
		return false, nil
	}
	var b store.Batch
	b.Do("INSERT INTO offers (connection, tools, at) VALUES (?, ?, ?) ON CONFLICT (connection) DO UPDATE SET tools "+
		"= excluded.tools, at = excluded.at", connection, data, store.Time(time.Now()))
	if err := k.Store().Write(ctx, b); err != nil {
		return false, err
	}
	offersOf(k).kept.Add(1)
	return true, nil
}

// KeptOffers gives what is kept of a server's offers.
func KeptOffers(k *Kit, connection string) ([]byte, error) {
	if k.Store() == nil {
		return nil, store.ErrNoBlob
	}
	var data []byte
	err := k.Store().Read().QueryRow("SELECT tools FROM offers WHERE connection = ?", connection).Scan(&data)
	return data, err
}

// AskOffers asks a connection's server what it offers, and keeps the answer.
func AskOffers(ctx context.Context, k *Kit, c *flow.Connection) (changed bool, err error) {
	return protocols[c.Kind].Offers(ctx, k, c)
}

// TryOffers tries a connection by asking its server what it offers.
func TryOffers(ctx context.Context, k *Kit, _ *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	changed, err := AskOffers(ctx, k, c)
	if err != nil {
		return k.Trouble(c, err)
	}
	if changed {
		OffersChanged(k, c.ID)
	}
	offers, err := protocols[c.Kind].Operations(k, nil, c)
	if err != nil {
		return Unfit("Ask whoever runs it.", "%v", err)
	}
	var there []string
	for _, o := range offers {
		name := strings.TrimPrefix(o.Name, c.ID+"/")
		if o.Output == nil {
			return Unfit("Correct offer: in connections/"+c.ID+".yaml.", "It answers, but offers no %s.", name)
		}
		there = append(there, name)
	}
	return Works("It answers and offers: %s.", strings.Join(there, ", "))
}
