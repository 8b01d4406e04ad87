package estate

import (
	"time"

	"cirque/core/document"
)

// SignInSetting is how people sign in to Cirque itself.
const SignInSetting = "sign_in"

// SignInSettings say how long a console may lie unused.
type SignInSettings struct {
	IdleMinutes int    `json:"idle_minutes,omitempty" yaml:"idle_minutes,omitempty" minimum:"5" maximum:"720" doc:"A console session ends once nobody has used it for so long; 60 when absent."`
	Note        string `json:"note,omitempty" yaml:"note,omitempty"`
}

// idleMinutes is how long a console may lie unused where nothing is set.
const idleMinutes = 60

// SessionIdle is how long a console session lasts without being used.
func (d *Document) SessionIdle() time.Duration {
	if d.Settings == nil || d.Settings.SignIn == nil || d.Settings.SignIn.IdleMinutes == 0 {
		return idleMinutes * time.Minute
	}
	return time.Duration(d.Settings.SignIn.IdleMinutes) * time.Minute
}

func (p *parser) signInSetting(n document.Node) *SignInSettings {
	v, ok := n.Object([]string{"idle_minutes", "note"})
	if !ok {
		return nil
	}
	p.setting(SignInSetting, n)
	s := &SignInSettings{Note: v.Text("note")}
	number(v, "idle_minutes", 5, 720, &s.IdleMinutes)
	return s
}
