package edit

import (
	"vestpin/core/strict"

	"vestpin/core/site"
)

// PutProof adds a proof or replaces the one with its id.
type PutProof struct {
	Proof site.Proof `json:"proof"`
	At    *int       `json:"at,omitempty"`
}

// Verb is "put-proof".
func (PutProof) Verb() Verb { return "put-proof" }

// Touches the proof.
func (e PutProof) Touches() []Touch { return []Touch{{Thing: e.Proof.Ref()}} }

func (e PutProof) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	own(d, "proofs", &d.Proofs)
	if old, was := put(&d.Proofs, e.Proof.Whole(), proofID, e.At); old != nil {
		return []Edit{PutProof{*old, &was}}, nil
	}
	return []Edit{RemoveProof{e.Proof.ID}}, nil
}

// RemoveProof removes a proof.
type RemoveProof struct {
	ID string `json:"id"`
}

// Verb is "remove-proof".
func (RemoveProof) Verb() Verb { return "remove-proof" }

// Touches the proof.
func (e RemoveProof) Touches() []Touch { return []Touch{{Thing: site.Proof{ID: e.ID}.Ref()}} }

func (e RemoveProof) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "proofs", &d.Proofs)
	old, was, err := take(&d.Proofs, at, "proof", e.ID, proofID)
	return []Edit{PutProof{old, &was}}, err
}

func proofID(p *site.Proof) string { return p.ID }
