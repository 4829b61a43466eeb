package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/client"
)

// Delivery is what the scale posts.
type Delivery struct {
	Grower  string  `json:"grower"`
	GrossKg float64 `json:"gross_kg"`
	TareKg  float64 `json:"tare_kg"`
	FarmKg  float64 `json:"farm_kg"`
	Bales   int     `json:"bales"`
	Notes   string  `json:"notes,omitempty"`
}

// Post sends a delivery to a webhook of a service, signed as Standard
// Webhooks says. id is the delivery's own: the same twice starts one run.
func Post(ctx context.Context, url, path, signing, id string, body any) (*http.Response, error) {
	data, err := json.Marshal(body)
	if err != nil {
		return nil, err
	}
	hook, err := webhooks.NewWebhook(signing)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	signature, err := hook.Sign(id, now, data)
	if err != nil {
		return nil, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, url+"/in/"+path, bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("webhook-id", id)
	request.Header.Set("webhook-timestamp", fmt.Sprint(now.Unix()))
	request.Header.Set("webhook-signature", signature)
	return http.DefaultClient.Do(request)
}

// morning is what came over the scale before anybody looks at the demo.
var morning = []Delivery{
	{"Hollin Bank", 412.5, 31, 384, 2, "dry, two bales tied loosely"},
	{"Skell Top", 655, 48, 612, 4, ""},
	{"Nettlecote", 318, 29.5, 325, 2, "came through the ford"},
	{"Upper Swarth", 30, 31, 240, 1, "scale read before the trailer was on"},
	{"Cold Hause", 890.5, 62, 835, 5, "dry"},
}

// History gives a new demo a morning's work: deliveries over the scale, and a
// conversation that ends with a question to the grading lead.
func History(ctx context.Context, c *client.Client, signing string) error {
	for i, d := range morning {
		response, err := Post(ctx, c.URL, "weighbridge", signing, fmt.Sprintf("morning-%d", i+1), d)
		if err != nil {
			return fmt.Errorf("demo: %w", err)
		}
		if err := response.Body.Close(); err != nil {
			return fmt.Errorf("demo: %w", err)
		}
	}
	for _, text := range []string{"Can I bring 18 fleeces from Nettlecote tomorrow afternoon?",
		"Sorry, the trailer is off the road. Please cancel it."} {
		heard, err := c.Say(ctx, "depot-slots", "nettlecote", text)
		if err != nil {
			return fmt.Errorf("demo: %w", err)
		}
		if _, err := c.Settled(ctx, heard.Run); err != nil {
			return fmt.Errorf("demo: %w", err)
		}
	}
	return nil
}
