package openapi

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	lru "github.com/hashicorp/golang-lru/v2/simplelru"

	"woolsignal/server/tool"
)

// largest is how large a description may be, in bytes.
const largest = 20 << 20

// description is a document that was read. It is not changed afterwards, and
// shared by all that read the same text.
type description struct {
	doc     *openapi3.T
	schemas *schemas
}

// descriptions keeps the last few: reading a large one takes seconds, and a
// workspace is read anew with every change of any of its files.
type descriptions struct {
	mu   sync.Mutex // held while one is read, so that no two read the same
	kept *lru.LRU[[sha256.Size]byte, *description]
}

type descriptionsKey struct{}

// read reads the text of a description, in JSON or YAML.
func read(k *tool.Kit, text string) (*description, error) {
	all := k.Beside(descriptionsKey{}, func() any {
		kept, err := lru.NewLRU[[sha256.Size]byte, *description](8, nil)
		if err != nil {
			panic(err) // only for a size that is none
		}
		return &descriptions{kept: kept}
	}).(*descriptions)
	all.mu.Lock()
	defer all.mu.Unlock()
	sum := sha256.Sum256([]byte(text))
	if known, is := all.kept.Get(sum); is {
		return known, nil
	}
	d, err := parse(text)
	if err == nil {
		all.kept.Add(sum, d)
	}
	return d, err
}

func parse(text string) (*description, error) {
	if len(text) > largest {
		return nil, fmt.Errorf("it has %d MB; the most is %d MB", len(text)>>20, largest>>20)
	}
	text = strings.TrimPrefix(text, "\ufeff") // a byte-order mark, which some programs write
	doc, err := openapi3.NewLoader().LoadFromData([]byte(text))
	if err != nil {
		return nil, err
	}
	if !strings.HasPrefix(doc.OpenAPI, "3.") {
		return nil, fmt.Errorf("it is no OpenAPI 3 description, as its openapi: %q says", doc.OpenAPI)
	}
	named := map[string]any{}
	if doc.Components != nil {
		data, err := json.Marshal(doc.Components.Schemas)
		if err == nil {
			err = json.Unmarshal(data, &named)
		}
		if err != nil {
			return nil, err
		}
	}
	return &description{doc, newSchemas(named)}, nil
}
