package run

// Response is what the caller of a webhook is answered.
type Response struct {
	Status  int               `json:"status"`
	Headers map[string]string `json:"headers,omitempty"`
	Body    any               `json:"body,omitempty"`
}

// problem is an answer in the form of RFC 9457.
func problem(status int, title, detail, id string) *Response {
	return &Response{Status: status, Headers: map[string]string{"Content-Type": "application/problem+json"},
		Body: map[string]any{"type": "about:blank", "title": title, "status": int64(status), "detail": detail,
			"run": id}}
}
