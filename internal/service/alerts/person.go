package alerts

import (
	"context"

	"cirque/core/fault"
	"cirque/core/notice"
	"cirque/core/stock"
)

// TellPerson tells a person of the directory something by mail, at once; the fault says why it could not be.
func (s *Room) TellPerson(ctx context.Context, person, subject, says string) error {
	if s.cfg.Sender == nil {
		return fault.New(fault.Unavailable, "no-telling", "start the service with telling", "this service tells nobody")
	}
	address := s.present.View().MailOf(person)
	if address == "" {
		return fault.New(fault.Unknown, "no-mail", "give them one in the directory",
			"the directory has no mail address of %s", person)
	}
	set, ok := s.present.View().Document().Mail()
	if !ok {
		return fault.New(fault.Conflict, "no-relay", "write settings.mail in the estate: server and from",
			"the estate names no mail server")
	}
	keys := s.cfg.Keys.KeysFor(stock.Watch{Kind: stock.ForMail, URI: set.Server})
	_, err := s.cfg.Sender.Mail(ctx, notice.Mail{Relay: set.Server, From: set.From, To: address, Subject: subject,
		Body: says + "\n", At: s.now().UTC()}, stock.SignInOf(keys))
	s.cfg.KeyNotes.NoteKeys(ctx, keys)
	return err
}
