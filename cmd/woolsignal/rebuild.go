package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"time"

	"woolsignal/server"
)

// rebuild makes the lists of a stopped service anew from its journals.
func rebuild(ctx context.Context, a *app, args []string) error {
	f := a.flags("rebuild")
	data := f.String("data", "woolsignal-data", "folder of the service, which must not be running")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	if _, err := os.Stat(*data); err != nil {
		return fmt.Errorf("there is no data folder %s; name it with -data", *data)
	}
	s, err := server.Open(ctx, server.Options{Data: *data,
		Log: slog.New(slog.NewJSONHandler(a.errs, &slog.HandlerOptions{Level: slog.LevelWarn}))})
	if err != nil {
		return err
	}
	defer s.Close()
	began := time.Now()
	entries, err := s.Engine.Rebuild(ctx)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out,
		"Lists, conversations, reviews and what is remembered were made anew from %d journal entries in %s.\n"+
			"Words for searching follow once the service runs.\n", entries, time.Since(began).Round(time.Millisecond))
	return nil
}
