package register

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"
)

// holding is a farm as the register knows it.
type holding struct {
	Number string `json:"number"` // six digits
	Grower string `json:"grower"`
	Phone  string `json:"phone"`
	Email  string `json:"email"`
	Load   string `json:"usual_load"`
}

// holdingOf makes up a grower's holding, always the same.
func holdingOf(grower string) holding {
	i := slices.Index(growers, grower)
	return holding{fmt.Sprintf("4101%02d", i+1), grower, fmt.Sprintf("+4416329601%02d", i+1),
		strings.ToLower(strings.ReplaceAll(grower, " ", ".")) + "@hills.example", fmt.Sprintf("%d fleeces", 12+6*i)}
}

func find(w http.ResponseWriter, what string, fits func(holding) bool) {
	for _, g := range growers {
		if h := holdingOf(g); fits(h) {
			answer(w, http.StatusOK, h)
			return
		}
	}
	refuse(w, http.StatusNotFound, "there is no "+what)
}

func findHolding(w http.ResponseWriter, r *http.Request) {
	number := chi.URLParam(r, "number")
	find(w, "holding "+number, func(h holding) bool { return h.Number == number })
}

func findCaller(w http.ResponseWriter, r *http.Request) {
	phone, _ := url.PathUnescape(chi.URLParam(r, "phone")) // what cannot be unescaped is nobody's
	find(w, "grower with the number "+phone, func(h holding) bool { return h.Phone == phone })
}

// lot is wool that is ready for sale.
type lot struct {
	Lot  string  `json:"lot"`
	Kind string  `json:"kind"`
	Kg   float64 `json:"kg"`
}

func listLots(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, []lot{{"Lot 14", "Fine crossbred", 1240}, {"Lot 15", "Hill fleece", 3310.5},
		{"Lot 16", "Lambswool", 415}})
}
