package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// Programs that kept a site as rows of many tables lost what hung on an interface
// or a service when it moved to another device (two joined, one split): evidence
// with its traits, the other ports a service can be set to, and the senders it is
// limited to. Their journal has whole devices on both sides of each such change.

// mendAll looks through every site once, when the database is taken over.
func mendAll(ctx context.Context, tx *sql.Tx) error {
	rs, err := tx.QueryContext(ctx, `SELECT id FROM sites`)
	if err != nil {
		return err
	}
	var ids []string
	for rs.Next() {
		var id string
		if err := rs.Scan(&id); err != nil {
			return errors.Join(err, rs.Close())
		}
		ids = append(ids, id)
	}
	if err := errors.Join(rs.Err(), rs.Close()); err != nil {
		return err
	}
	for _, id := range ids {
		if err := mendSite(ctx, tx, id); err != nil {
			return err
		}
	}
	return nil
}

func mendSite(ctx context.Context, tx *sql.Tx, id string) error {
	_, head, parts, err := rowsOf(ctx, tx, id)
	var damaged *DamagedError
	if errors.As(err, &damaged) {
		return nil // told wherever it is looked at
	}
	if err != nil {
		return err
	}
	before, err := assemble(head, parts)
	if err != nil {
		return nil
	}
	history, err := entries(ctx, tx, early, `WHERE site = ? ORDER BY seq`, id)
	if err != nil {
		return notice(ctx, tx, id, "Its journal could not be read, so it could not be seen whether joining or splitting devices had lost something.")
	}
	after, says := mend(before, history)
	if says == "" {
		return nil
	}
	batch, err := changes(id, before, after)
	if err != nil {
		return err
	}
	for _, st := range batch {
		if _, err := tx.ExecContext(ctx, st.sql, st.args...); err != nil {
			return err
		}
	}
	if len(batch) > 0 { // what was looked at before is old
		if _, err := tx.ExecContext(ctx, `UPDATE sites SET version = version + 1 WHERE id = ?`, id); err != nil {
			return err
		}
	}
	return notice(ctx, tx, id, says)
}

func notice(ctx context.Context, tx *sql.Tx, id, says string) error {
	_, err := tx.ExecContext(ctx, `UPDATE sites SET notice = ? WHERE id = ?`, says, id)
	return err
}

// mend gives back what was lost and can be found in the journal, and what is to be
// told of it; "" where no device was ever joined or split.
//
// The journal is followed back from the site as it is to the first entry, and then
// forth again: on the way back each entry brings whole devices as they were before
// it. Only what can be lost is taken from that.
func mend(now site.Site, history []Entry) (site.Site, string) {
	moved := []string{}
	for _, e := range history {
		if forth, back, err := e.Edits(); err == nil && moves(forth, back) {
			moved = append(moved, e.Title)
		}
	}
	if len(moved) == 0 {
		return now, ""
	}
	truth, err := replay(now, history)
	if err != nil {
		return now, fmt.Sprintf("An earlier program may have lost evidence, other ports and allowed senders when devices were joined or split (%s). "+
			"The journal could not be followed (%v), so nothing was mended: look whether services are limited to whom they should be.", strings.Join(moved[:min(len(moved), 5)], ", "), err)
	}
	var gave []string
	after := mapDevices(now, func(d site.Device) site.Device {
		for i, n := range d.Interfaces {
			if had, ok := interfaceOf(truth, n.ID); ok && weight(had.Evidence) > weight(n.Evidence) {
				gave = append(gave, "evidence of "+labelOf(d, n.ID))
				d.Interfaces[i].Evidence = had.Evidence
			}
		}
		for i, s := range d.Services {
			if had, ok := serviceOf(truth, s.ID); ok {
				var what []string
				d.Services[i], what = refill(s, had)
				for _, w := range what {
					gave = append(gave, w+" of "+site.Wish{Device: &d, Service: &s}.Label())
				}
			}
		}
		return d
	})
	if len(gave) == 0 {
		return now, ""
	}
	more := ""
	if len(gave) > 20 {
		gave, more = gave[:20], fmt.Sprintf(" and %d more", len(gave)-20)
	}
	return after, "An earlier program lost data when devices were joined or split. Given back from the journal: " + strings.Join(gave, ", ") + more + "."
}

func labelOf(d site.Device, iface string) string {
	if len(d.Interfaces) > 1 {
		return d.Label() + " " + iface
	}
	return d.Label()
}

// moves reports whether an interface or service is on another device after a batch.
func moves(forth, back []edit.Edit) bool {
	was := owners(back)
	for part, device := range owners(forth) {
		if old, ok := was[part]; ok && old != device {
			return true
		}
	}
	return false
}

func owners(edits []edit.Edit) map[site.Ref]string {
	out := map[site.Ref]string{}
	for _, d := range wholeDevices(edits) {
		for _, n := range d.Interfaces {
			out[n.Ref()] = d.ID
		}
		for _, s := range d.Services {
			out[s.Ref()] = d.ID
		}
	}
	return out
}

func wholeDevices(edits []edit.Edit) (out []site.Device) {
	for _, e := range edits {
		if put, ok := e.(edit.PutDevice); ok {
			out = append(out, put.Device)
		}
	}
	return out
}

// replay follows the journal back and forth again. What was undone is not made
// again, but shows what there was.
func replay(s site.Site, history []Entry) (site.Site, error) {
	var err error
	for _, e := range slices.Backward(history) {
		if e.State != "done" {
			continue
		}
		_, back, bad := e.Edits()
		if s, _, err = edit.Apply(s, back); err != nil || bad != nil {
			return s, fmt.Errorf("back over %q: %w", e.Title, errors.Join(err, bad))
		}
	}
	for _, e := range history {
		forth, back, bad := e.Edits()
		if bad != nil {
			return s, bad
		}
		s = recall(s, wholeDevices(back))
		if e.State != "done" {
			continue
		}
		if s, _, err = edit.Apply(s, remembering(s, forth, back)); err != nil {
			return s, fmt.Errorf("over %q: %w", e.Title, err)
		}
	}
	return s, nil
}

// recall gives a site what devices had at that moment and it has not.
func recall(s site.Site, had []site.Device) site.Site {
	then := site.Site{Devices: had}
	return mapDevices(s, func(d site.Device) site.Device {
		for i, n := range d.Interfaces {
			if had, ok := interfaceOf(then, n.ID); ok && weight(had.Evidence) > weight(n.Evidence) {
				d.Interfaces[i].Evidence = had.Evidence
			}
		}
		for i, sv := range d.Services {
			if had, ok := serviceOf(then, sv.ID); ok {
				d.Services[i], _ = refill(sv, had)
			}
		}
		return d
	})
}

// remembering gives a batch of edits as it would have been if the editor had seen
// what was lost by then: base is what was seen.
func remembering(s site.Site, edits, back []edit.Edit) []edit.Edit {
	base := site.Site{Devices: wholeDevices(back)}
	out := slices.Clone(edits)
	for i, e := range out {
		switch e := e.(type) {
		case edit.PutDevice:
			d := clone(e.Device)
			for k, n := range d.Interfaces {
				seen, _ := interfaceOf(base, n.ID)
				if had, ok := interfaceOf(s, n.ID); ok && weight(had.Evidence) > weight(seen.Evidence) {
					d.Interfaces[k].Evidence = joined(had.Evidence, n.Evidence)
				}
			}
			for k, sv := range d.Services {
				seen, _ := serviceOf(base, sv.ID)
				if had, ok := serviceOf(s, sv.ID); ok {
					if _, lost := refill(seen, had); len(lost) > 0 {
						d.Services[k], _ = refill(sv, had)
					}
				}
			}
			out[i] = edit.PutDevice{Device: d, At: e.At}
		case edit.PutService:
			if had, ok := serviceOf(s, e.Service.ID); ok {
				e.Service, _ = refill(e.Service, unseen(had, back))
				out[i] = e
			}
		case edit.SetOpen:
			if had, ok := serviceOf(s, e.ID); ok && e.Open != nil {
				sv, _ := refill(site.Service{Open: e.Open}, unseen(had, back))
				out[i] = edit.SetOpen{ID: e.ID, Open: sv.Open}
			}
		}
	}
	return out
}

// unseen leaves of a service what the one who replaced it could not see.
func unseen(whole site.Service, back []edit.Edit) site.Service {
	for _, e := range back {
		switch e := e.(type) {
		case edit.PutService:
			if e.Service.ID == whole.ID && len(e.Service.CanSetTo) > 0 {
				whole.CanSetTo = nil
			}
			if e.Service.ID == whole.ID && e.Service.Open != nil && len(e.Service.Open.From) > 0 {
				whole.Open = nil
			}
		case edit.SetOpen:
			if e.ID == whole.ID && (e.Open == nil || len(e.Open.From) > 0) {
				whole.Open = nil
			}
		}
	}
	return whole
}

// refill gives a service the senders and other ports that it lost, and says which.
func refill(s, whole site.Service) (site.Service, []string) {
	var what []string
	if s.Open != nil && whole.Open != nil && len(s.Open.From) == 0 && len(whole.Open.From) > 0 {
		open := *s.Open
		open.From = whole.Open.From
		s.Open, what = &open, append(what, "allowed senders")
	}
	if len(s.CanSetTo) == 0 && len(whole.CanSetTo) > 0 {
		s.CanSetTo, what = whole.CanSetTo, append(what, "other ports")
	}
	return s, what
}

// weight is how much there is of evidence.
func weight(list []site.Evidence) int {
	n := len(list)
	for _, e := range list {
		n += len(e.Traits)
	}
	return n
}

// joined is both lists, each piece once, at most as many as a site may hold of the
// newest.
func joined(a, b []site.Evidence) []site.Evidence {
	out := slices.Clone(a)
	for _, e := range b {
		if !slices.ContainsFunc(out, func(o site.Evidence) bool { return reflect.DeepEqual(o, e) }) {
			out = append(out, e)
		}
	}
	return out[max(0, len(out)-100):]
}

func clone(d site.Device) site.Device {
	d.Interfaces, d.Services = slices.Clone(d.Interfaces), slices.Clone(d.Services)
	return d
}

func mapDevices(s site.Site, f func(site.Device) site.Device) site.Site {
	s.Devices = slices.Clone(s.Devices)
	for i, d := range s.Devices {
		s.Devices[i] = f(clone(d))
	}
	return s
}

func interfaceOf(s site.Site, id string) (site.Interface, bool) {
	for _, d := range s.Devices {
		for _, n := range d.Interfaces {
			if n.ID == id {
				return n, true
			}
		}
	}
	return site.Interface{}, false
}

func serviceOf(s site.Site, id string) (site.Service, bool) {
	for _, d := range s.Devices {
		for _, sv := range d.Services {
			if sv.ID == id {
				return sv, true
			}
		}
	}
	return site.Service{}, false
}
