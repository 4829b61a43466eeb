package api

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/trigger"
	"woolsignal/server/intake"
	"woolsignal/wire"
)

// newKey makes a signing key's secret and keeps it, in place of any there was.
func (a *API) newKey(r *request, _ none) (wire.NewKey, error) {
	_, c, err := a.connectionOf(r)
	if err != nil {
		return wire.NewKey{}, err
	}
	if _, is := c.Is.(*protocol.SigningKey); !is {
		return wire.NewKey{}, refuse(http.StatusUnprocessableEntity, "It is no signing key", "The secret of "+c.Title+
			" is given by the other side; only a signing key's is made here.")
	}
	secret := intake.NewKey(c)
	_, err = a.equip(r.Context(), c, secret)
	return wire.NewKey{Secret: secret}, err
}

// deliver signs a delivery to a webhook. It is not sent.
func (a *API) deliver(r *request, in wire.Deliver) (wire.Delivery, error) {
	id := r.Param("workflow")
	hook, err := a.hookOf(id, in)
	if err != nil {
		return wire.Delivery{}, err
	}
	key := a.Workspace.Now().Connections[hook.Verify]
	if key == nil {
		return wire.Delivery{}, refuse(http.StatusUnprocessableEntity, "There is no key",
			"Nothing is called "+hook.Verify+"; make the signing key first.")
	}
	secret, err := a.Secrets.Get(key.ID, key.SecretFor())
	if err != nil {
		return wire.Delivery{}, refuse(http.StatusUnprocessableEntity, "There is no key",
			"The signing key "+key.Title+" has no secret yet.")
	}
	body, err := json.Marshal(in.Body)
	if err != nil {
		return wire.Delivery{}, err
	}
	header, timed, err := intake.Sign(key, secret, body, time.Now())
	if err != nil {
		return wire.Delivery{}, refuse(http.StatusUnprocessableEntity, "It cannot be signed", "The secret of "+
			key.Title+" does not fit its scheme; make a new one.")
	}
	out := wire.Delivery{Address: a.origin(r.Request) + "/in/" + hook.Path,
		Headers: map[string]string{"Content-Type": "application/json"}, Body: string(body), Timed: timed}
	if !in.Live {
		out.Address += "/draft"
	}
	for name := range header {
		out.Headers[name] = header.Get(name)
	}
	if strings.HasSuffix(out.Headers["Authorization"], intake.Placeholder) {
		out.Lacks = "The key itself goes along; put it where " + intake.Placeholder + " stands."
	}
	out.Curl = curl(out)
	return out, nil
}

// hookOf finds the webhook of a workflow that a delivery is for.
func (a *API) hookOf(id string, in wire.Deliver) (*trigger.Webhook, error) {
	s := a.Workspace.Now()
	triggers := []flow.Trigger(nil)
	if w := s.Workflows[id]; w != nil {
		triggers = w.Triggers
	}
	if live := s.Live[id]; in.Live && live == nil {
		return nil, refuse(http.StatusConflict, "Not live", id+" is not live yet; send it to the draft.")
	} else if in.Live {
		triggers = live.Triggers
	}
	for _, t := range triggers {
		if hook, is := t.Is.(*trigger.Webhook); is && (t.ID == in.Trigger || in.Trigger == "") {
			return hook, nil
		}
	}
	return nil, refuse(http.StatusNotFound, "Not here", id+" has no webhook called "+in.Trigger+".")
}

// curl writes a delivery as a line for a shell.
func curl(d wire.Delivery) string {
	parts := []string{"curl -X POST " + quoted(d.Address)}
	names := make([]string, 0, len(d.Headers))
	for name := range d.Headers {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		parts = append(parts, "-H "+quoted(name+": "+d.Headers[name]))
	}
	return strings.Join(append(parts, "--data-raw "+quoted(d.Body)), " ")
}

// quoted writes a word for a POSIX shell.
func quoted(word string) string { return "'" + strings.ReplaceAll(word, "'", `'\''`) + "'" }
