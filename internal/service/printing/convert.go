package printing

import (
	"cirque/core/job"
	"cirque/internal/spool"
)

// converted is a document that was made of another, and goes once it is closed.
type converted struct {
	*spool.Reader
	drop func()
}

func (c converted) Close() error {
	defer c.drop()
	return c.Reader.Close()
}

// convert makes of a job's PDF what its device takes. It lies in the spool under a number that no job has, enciphered
// under a key that is kept nowhere.
func (r *sender) convert(s *sending, j *job.Job, p *prepared, in *spool.Reader, to string) error {
	id := -j.ID
	drop := func() { r.removeDocument(id) }
	_, _ = r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) { // it is for people alone
		return job.Happening{Event: job.Note}, j.Happen(job.Note, "it is being made ready for "+j.Device, job.Transforming)
	})
	w, err := r.cfg.Spool.Create(s.ctx, id)
	if err != nil {
		return err
	}
	n, err := r.cfg.Converter.Convert(s.ctx, in, in.Size(), to, p.fit.Did, p.about.Able, w)
	if err != nil {
		w.Drop()
		return err
	}
	stored, err := w.Keep()
	if err != nil {
		w.Drop()
		return err
	}
	out, err := r.cfg.Spool.Open(s.ctx, id, stored)
	if err != nil {
		drop()
		return err
	}
	options := job.Options{"copies": j.Asked["copies"], "number-up": j.Asked["number-up"]}
	p.body, p.pages = converted{out, drop}, options.Impressions(&n)
	delete(p.fit.Did, "page-ranges") // the pages that were left out are not there any more
	return nil
}
