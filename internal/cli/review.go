package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"time"

	"wendrik/internal/build"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
	"wendrik/internal/inlet"
	"wendrik/internal/session"
)

// This file keeps what a build would do, so that just that can be done once somebody has read it.

// reviewed is a build that was worked out, and is to be made as it stands. It is a file of JSON; docs/json.md describes it.
type reviewed struct {
	Review  int                    `json:"wendrik-review"`
	Made    string                 `json:"made"`
	Plan    []reviewedFile         `json:"plan"`
	Down    bool                   `json:"down"`
	Undo    bool                   `json:"undo"`
	Leave   build.Leave            `json:"leave"`
	Build   json.RawMessage        `json:"build"`
	RestsOn map[string]build.Print `json:"rests_on"`
}

type reviewedFile struct {
	Name string `json:"name"`
	Text string `json:"text"`
}

// keepReview writes what a job would do into a file that is not there yet.
func (b *building) keepReview(job *build.Job, plan *estate.Estate, file string) error {
	r := reviewed{Review: 1, Made: time.Now().UTC().Format(time.RFC3339), Down: b.down, Undo: b.undo, Leave: b.leave, RestsOn: job.There.Prints(), Build: b.asRaw(job)}
	for _, f := range plan.Plan.Files.All() {
		r.Plan = append(r.Plan, reviewedFile{f.Name, f.Text})
	}
	raw, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		return err
	}
	if err := create(file, string(raw)+"\n"); err != nil {
		return err
	}
	b.say("\nkept in %s: %s;  wendrik build %s  makes just these, as long as nothing that they rest on has moved", clean(file), phrase.Count(job.Calls(), "call"), shellWord(file))
	return nil
}

// asRaw is what a job would do, as JSON without blanks.
func (b *building) asRaw(job *build.Job) json.RawMessage {
	raw, err := json.Marshal(b.asJSON(job, nil))
	if err != nil {
		return nil
	}
	return raw
}

// readReview takes the plan and all that was said to the build from a file.
func (b *building) readReview(file string) error {
	raw, err := inlet.Read(file, 16*text.MaxSize)
	if err != nil {
		return &usageError{fmt.Sprintf("%s cannot be read: %s", file, session.Reason(err)), "wendrik build -dry -o FILE  writes such a file"}
	}
	r := &reviewed{}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(r); err != nil || r.Review != 1 || len(r.Plan) == 0 || len(r.Plan) > 4000 {
		return &usageError{fmt.Sprintf("%s is no build that was kept for a review", file), "wendrik build -dry -o FILE  writes such a file; a plan is named with  -plan FILE"}
	}
	files := text.NewFiles(nil)
	for _, f := range r.Plan {
		files.Add(f.Name, f.Text)
	}
	e, problems := estate.Load(files)
	if len(problems) > 0 {
		return &usageError{fmt.Sprintf("the plan that %s holds cannot be read: %s", file, problems[0].Message), "write the review anew"}
	}
	b.review, b.down, b.undo, b.leave, b.head = r, r.Down, r.Undo, r.Leave, stock.HeadOf(e)
	if !b.down && !b.undo {
		b.want = stock.Of(e)
	}
	return nil
}

// stillSo tells whether what was reviewed is what would be done now.
func (b *building) stillSo(job *build.Job) error {
	if moved := job.There.Moved(b.review.RestsOn); len(moved) > 0 {
		return &usageError{fmt.Sprintf("since the review of %s, %s: %s", b.review.Made, phrase.Count(len(moved), "thing")+" moved", phrase.Few(moved, 6)), "write the review anew:  wendrik build -dry -o FILE"}
	}
	var was bytes.Buffer
	if err := json.Compact(&was, b.review.Build); err != nil || !bytes.Equal(was.Bytes(), b.asRaw(job)) {
		return &usageError{"the calls would be others than those that were reviewed", "write the review anew, at the same cloud and with the same keys:  wendrik build -dry -o FILE"}
	}
	return nil
}
