// Package hostile sends what nobody should: it is beside honest senders in
// tests of whether these notice.
package hostile

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Address is where hostile senders come from: another one than honest callers
// of this machine, as limits go by it.
const Address = "127.0.0.66"

// pause is how long a sender waits between two.
const pause = 20 * time.Millisecond

// Client makes requests from the hostile address.
func Client() *http.Client {
	dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(Address)}}
	return &http.Client{Timeout: 20 * time.Second,
		Transport: &http.Transport{DialContext: dialer.DialContext, MaxIdleConnsPerHost: 32}}
}

// Senders send until the context ends: deliveries with wrong signatures, bodies
// nested and swollen, forms with large files, guesses at passwords, and bodies
// that come a byte at a time. Each waits a moment between two, as all of them
// share the machine with whom they attack: together they make some five hundred
// requests a second. It returns once all have stopped.
func Senders(ctx context.Context, url string) {
	client := Client()
	var all sync.WaitGroup
	again := func(times int, send func(i int)) {
		for range times {
			all.Go(func() {
				for i := 0; ctx.Err() == nil; i++ {
					send(i)
					select {
					case <-time.After(pause):
					case <-ctx.Done():
					}
				}
			})
		}
	}
	post := func(path, kind string, body io.Reader) {
		request, err := http.NewRequestWithContext(ctx, http.MethodPost, url+path, body)
		if err != nil {
			return
		}
		request.Header.Set("Content-Type", kind)
		request.Header.Set("webhook-id", "x")
		request.Header.Set("webhook-timestamp", fmt.Sprint(time.Now().Unix()))
		request.Header.Set("webhook-signature", "v1,AAAA")
		if response, err := client.Do(request); err == nil {
			_, _ = io.Copy(io.Discard, response.Body)
			response.Body.Close()
		}
	}
	nested := strings.Repeat("[", 500_000)
	again(2, func(int) { post("/in/weighbridge", "application/json", strings.NewReader(nested)) })
	again(2, func(int) { post("/in/weighbridge", "application/xml", strings.NewReader("<a>"+nested)) })
	again(2, func(i int) {
		kind, body := form(i)
		post("/slip/nothing", kind, body)
	})
	again(4, func(i int) {
		post("/api/v1/session", "application/json", strings.NewReader(
			fmt.Sprintf(`{"email": "nobody-%d@larkrigg.example", "password": "guess"}`, i)))
	})
	again(20, func(int) { post("/in/weighbridge", "application/json", &drip{ctx: ctx}) })
	all.Wait()
}

// form is one with a large file that no field asks for.
func form(n int) (kind string, body io.Reader) {
	var out bytes.Buffer
	w := multipart.NewWriter(&out)
	_ = w.WriteField("_once", fmt.Sprint("hostile-", n)) // a buffer takes everything
	part, _ := w.CreateFormFile("nobody-asked", "large.bin")
	_, _ = part.Write(bytes.Repeat([]byte{byte(n)}, 4<<20))
	_ = w.Close()
	return w.FormDataContentType(), &out
}

// drip gives a byte every tenth of a second, for a few seconds.
type drip struct {
	ctx context.Context
	n   int
}

func (d *drip) Read(p []byte) (int, error) {
	if d.n++; d.n > 40 {
		return 0, io.EOF
	}
	select {
	case <-time.After(100 * time.Millisecond):
	case <-d.ctx.Done():
		return 0, d.ctx.Err()
	}
	p[0] = ' '
	return 1, nil
}
