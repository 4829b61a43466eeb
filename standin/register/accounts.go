package register

import (
	"net/http"
	"net/url"
	"slices"

	"github.com/go-chi/chi/v5"
)

// account is what a grower owes and is owed.
type account struct {
	Grower  string   `json:"grower"`
	Levy    float64  `json:"levy_per_kg"`
	Advance float64  `json:"advance"`
	Missing []string `json:"missing"`
	Email   string   `json:"email"`
}

// advances and missing are what differs from grower to grower.
var (
	advances = map[string]float64{"Hollin Bank": 120, "Cold Hause": 300}
	missing  = map[string][]string{"Skell Top": {"holding register"},
		"Thornthwaite Low": {"bank details", "holding register"}}
)

// readAccount gives an account. Raven Gill joined last week and has none yet.
func readAccount(w http.ResponseWriter, r *http.Request) {
	name, err := url.PathUnescape(chi.URLParam(r, "grower"))
	if err != nil || !slices.Contains(growers, name) || name == "Raven Gill" {
		refuse(w, http.StatusNotFound, "there is no account of "+name)
		return
	}
	a := account{Grower: name, Levy: 0.12, Advance: advances[name], Missing: missing[name],
		Email: holdingOf(name).Email}
	if a.Missing == nil {
		a.Missing = []string{}
	}
	answer(w, http.StatusOK, a)
}
