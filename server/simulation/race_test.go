//go:build race

package simulation

const underRace = true
