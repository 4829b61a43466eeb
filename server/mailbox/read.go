package mailbox

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"woolsignal/server/page"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"
)

// Cursor is how far a folder was looked at. UIDs count only under the
// validity they were given (RFC 9051, 2.3.1.1).
type Cursor struct {
	Validity uint32     `json:"validity"`
	After    imap.UID   `json:"after,omitempty"`   // the last mail that had arrived
	Flagged  []imap.UID `json:"flagged,omitempty"` // the mails that had the flag
	Times    int        `json:"times,omitempty"`   // flags seen so far, to tell a flag given twice apart
}

// most is how many mails one look takes; the next look goes on behind them.
const most = 50

// Arrived gives the mails that came into a folder since a cursor. The first
// look, without one, gives none: what was there before is old.
func (b *Box) Arrived(ctx context.Context, folder string, before *Cursor) (found []*Mail, next Cursor, err error) {
	err = b.in(ctx, folder, true, func(c *imapclient.Client, selected *imap.SelectData) error {
		next = Cursor{Validity: selected.UIDValidity, After: selected.UIDNext - 1}
		if before == nil || before.Validity != selected.UIDValidity || selected.UIDNext <= before.After+1 {
			return nil
		}
		all, err := c.UIDSearch(&imap.SearchCriteria{UID: []imap.UIDSet{{imap.UIDRange{Start: before.After + 1,
			Stop: 0}}}}, nil).Wait()
		if err != nil {
			return err
		}
		// "*" matches the last mail even where it is older than the span.
		uids := slices.DeleteFunc(all.AllUIDs(), func(u imap.UID) bool { return u <= before.After })
		slices.Sort(uids)
		if len(uids) > most {
			uids = uids[:most]
			next.After = uids[most-1]
		}
		found, uids, err = b.fetch(ctx, c, folder, uids)
		if len(uids) > 0 { // the next look's
			next.After = uids[0] - 1
		}
		return err
	})
	return found, next, err
}

// Flagged gives the mails of a folder that were given a flag since a cursor.
func (b *Box) Flagged(ctx context.Context, folder, flag string, before *Cursor) (found []*Mail, next Cursor,
	err error) {
	err = b.in(ctx, folder, true, func(c *imapclient.Client, selected *imap.SelectData) error {
		all, err := c.UIDSearch(&imap.SearchCriteria{Flag: []imap.Flag{imap.Flag(flag)}}, nil).Wait()
		if err != nil {
			return err
		}
		next = Cursor{Validity: selected.UIDValidity, Flagged: all.AllUIDs()}
		if before == nil || before.Validity != selected.UIDValidity {
			return nil
		}
		next.Times = before.Times
		fresh := slices.DeleteFunc(slices.Clone(next.Flagged),
			func(u imap.UID) bool { return slices.Contains(before.Flagged, u) })
		now := fresh[:min(len(fresh), most)]
		var left []imap.UID
		found, left, err = b.fetch(ctx, c, folder, now)
		later := append(left, fresh[len(now):]...)
		next.Times += len(fresh) - len(later)
		next.Flagged = slices.DeleteFunc(next.Flagged, func(u imap.UID) bool { return slices.Contains(later, u) })
		return err
	})
	return found, next, err
}

const (
	largest = 25 << 20 // how large a mail may be to be read whole, in bytes
	room    = 32 << 20 // how much is read in one visit before the rest is left to the next
	// allowed is what a server may send in one visit before it is not listened
	// to any longer: a mail says how large it is, and may lie.
	allowed = room + largest + 16<<20
)

// fetch reads mails by UID, and gives those it left for another visit. One
// that is too large is read without its body.
func (b *Box) fetch(ctx context.Context, c *imapclient.Client, folder string, uids []imap.UID) (out []*Mail,
	left []imap.UID, err error) {
	if len(uids) == 0 {
		return nil, nil, nil
	}
	sizes, err := c.Fetch(imap.UIDSetNum(uids...),
		&imap.FetchOptions{UID: true, Flags: true, RFC822Size: true}).Collect()
	if err != nil {
		return nil, nil, err
	}
	slices.SortFunc(sizes, func(a, b *imapclient.FetchMessageBuffer) int { return cmp.Compare(a.UID, b.UID) })
	read := int64(0)
	for _, s := range sizes {
		if read >= room {
			left = append(left, s.UID)
			continue
		}
		section := &imap.FetchItemBodySection{Peek: true}
		if s.RFC822Size > largest {
			section.Specifier = imap.PartSpecifierHeader
		}
		got, err := c.Fetch(imap.UIDSetNum(s.UID),
			&imap.FetchOptions{UID: true, BodySection: []*imap.FetchItemBodySection{section}}).Collect()
		if err != nil {
			return nil, nil, err
		}
		if len(got) == 0 || len(got[0].BodySection) == 0 {
			continue // it was moved away meanwhile
		}
		read += int64(len(got[0].BodySection[0].Bytes))
		m, err := b.one(ctx, uint32(s.UID), got[0].BodySection[0].Bytes)
		if err != nil {
			return nil, nil, err
		}
		m.Folder = folder
		for _, f := range s.Flags {
			m.Flags = append(m.Flags, string(f))
		}
		if s.RFC822Size > largest {
			m.Text = fmt.Sprintf("This mail has %d MB and was not read; the most is %d MB.", s.RFC822Size>>20,
				largest>>20)
		}
		out = append(out, m)
	}
	return out, left, nil
}

// one reads one mail; one that must not be read says so in place of its words.
func (b *Box) one(ctx context.Context, uid uint32, raw []byte) (m *Mail, err error) {
	read := func() {
		m = Parse(raw, b.says().VerifiedBy)
		if m.Text == "" && m.HTML != "" {
			m.Text, err = page.Words(ctx, b.Confined, m.HTML)
		}
	}
	if b.Each == nil {
		read()
	} else if why := b.Each(uid, read); why != "" {
		m = &Mail{Subject: "(this mail is not read)", Text: "This mail is not read: " + why + "."}
	}
	if err != nil {
		return nil, err
	}
	m.UID = uid
	return m, nil
}

// Read gives one mail.
func (b *Box) Read(ctx context.Context, folder string, uid uint32) (m *Mail, err error) {
	err = b.in(ctx, folder, true, func(c *imapclient.Client, _ *imap.SelectData) error {
		found, _, err := b.fetch(ctx, c, folder, []imap.UID{imap.UID(uid)})
		if err == nil && len(found) == 0 {
			return &RefusedError{fmt.Sprintf("the folder %s has no mail %d (any more)", folder, uid)}
		} else if err == nil {
			m = found[0]
		}
		return err
	})
	return m, err
}

// Search gives the newest mails of a folder that have some words and come
// from somebody; "" asks for neither.
func (b *Box) Search(ctx context.Context, folder, words, from string, limit int) (found []*Mail, err error) {
	err = b.in(ctx, folder, true, func(c *imapclient.Client, _ *imap.SelectData) error {
		criteria := &imap.SearchCriteria{}
		if words != "" {
			criteria.Text = []string{words}
		}
		if from != "" {
			criteria.Header = []imap.SearchCriteriaHeaderField{{Key: "From", Value: from}}
		}
		all, err := c.UIDSearch(criteria, nil).Wait()
		if err != nil {
			return err
		}
		uids := all.AllUIDs()
		slices.Sort(uids)
		var left []imap.UID
		found, left, err = b.fetch(ctx, c, folder, uids[max(0, len(uids)-limit):])
		if len(left) > 0 {
			return &RefusedError{fmt.Sprintf("the mails found are more than %d MB together; look for fewer at once",
				room>>20)}
		}
		slices.Reverse(found)
		return err
	})
	return found, err
}

// Move puts a mail into another folder, which is made where it is missing.
// Where the mail is gone and again is set, an earlier try has moved it.
func (b *Box) Move(ctx context.Context, folder string, uid uint32, to string, again bool) error {
	return b.in(ctx, folder, false, func(c *imapclient.Client, _ *imap.SelectData) error {
		if there, err := has(c, uid); err != nil || !there && again {
			return err
		} else if !there {
			return &RefusedError{fmt.Sprintf("the folder %s has no mail %d (any more)", folder, uid)}
		}
		all, err := folders(c)
		if err != nil {
			return err
		}
		if !slices.Contains(all, to) {
			if err := c.Create(to, nil).Wait(); err != nil {
				return &RefusedError{fmt.Sprintf("the folder %s cannot be made: %v", to, err)}
			}
		}
		_, err = c.Move(imap.UIDSetNum(imap.UID(uid)), to).Wait()
		return err
	})
}

// Flag gives a mail a flag, or takes it away.
func (b *Box) Flag(ctx context.Context, folder string, uid uint32, flag string, on bool) error {
	return b.in(ctx, folder, false, func(c *imapclient.Client, _ *imap.SelectData) error {
		if there, err := has(c, uid); err != nil {
			return err
		} else if !there {
			return &RefusedError{fmt.Sprintf("the folder %s has no mail %d (any more)", folder, uid)}
		}
		op := imap.StoreFlagsAdd
		if !on {
			op = imap.StoreFlagsDel
		}
		return c.Store(imap.UIDSetNum(imap.UID(uid)),
			&imap.StoreFlags{Op: op, Silent: true, Flags: []imap.Flag{imap.Flag(flag)}}, nil).Close()
	})
}

func has(c *imapclient.Client, uid uint32) (bool, error) {
	found, err := c.UIDSearch(&imap.SearchCriteria{UID: []imap.UIDSet{imap.UIDSetNum(imap.UID(uid))}}, nil).Wait()
	if err != nil {
		return false, err
	}
	return len(found.AllUIDs()) > 0, nil
}

// keepSent puts a copy of what was sent into the folder for it.
func (b *Box) keepSent(ctx context.Context, text []byte) error {
	folder := b.says().Sent
	if folder == "" {
		return nil
	}
	return b.in(ctx, "INBOX", false, func(c *imapclient.Client, _ *imap.SelectData) error {
		if all, err := folders(c); err != nil {
			return err
		} else if !slices.ContainsFunc(all, func(f string) bool { return strings.EqualFold(f, folder) }) {
			if err := c.Create(folder, nil).Wait(); err != nil {
				return err
			}
		}
		w := c.Append(folder, int64(len(text)), &imap.AppendOptions{Flags: []imap.Flag{imap.FlagSeen}})
		if _, err := w.Write(text); err != nil {
			return err
		}
		if err := w.Close(); err != nil {
			return err
		}
		_, err := w.Wait()
		return err
	})
}
