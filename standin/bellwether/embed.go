package bellwether

import (
	"hash/fnv"
	"math"
	"net/http"
)

// dimensions is how long its vectors are.
const dimensions = 384

// mostTexts is how many texts are embedded at once.
const mostTexts = 2048

// embed gives a vector for each text: texts that share words lie close together.
func (s *server) embed(w http.ResponseWriter, r *http.Request) {
	var asked struct {
		Model string   `json:"model"`
		Input []string `json:"input"`
	}
	if !take(w, r, &asked) || !offers(w, asked.Model, true) {
		return
	}
	if len(asked.Input) == 0 || len(asked.Input) > mostTexts {
		refuse(w, http.StatusBadRequest, "input: give 1 to 2048 texts")
		return
	}
	var data []any
	tokens := 0
	for i, text := range asked.Input {
		data = append(data, map[string]any{"object": "embedding", "index": i, "embedding": vector(text)})
		tokens += len(text)/4 + 1
	}
	answer(w, map[string]any{"object": "list", "model": asked.Model, "data": data,
		"usage": map[string]any{"prompt_tokens": tokens, "total_tokens": tokens}})
}

// vector sums a direction for each word, and has length 1.
func vector(text string) []float32 {
	sum := make([]float64, dimensions)
	for _, word := range split(text) {
		h := fnv.New64a()
		_, _ = h.Write([]byte(word)) // a hash takes anything
		seed := h.Sum64()
		for i := range sum {
			seed = seed*6364136223846793005 + 1442695040888963407
			sum[i] += float64(int32(seed>>32)) / math.MaxInt32
		}
	}
	length := 0.0
	for _, v := range sum {
		length += v * v
	}
	out := make([]float32, dimensions)
	for i, v := range sum {
		if length > 0 {
			out[i] = float32(v / math.Sqrt(length))
		}
	}
	return out
}
