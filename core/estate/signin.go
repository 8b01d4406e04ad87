package estate

import (
	"cmp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"cirque/core/document"
	"cirque/core/span"
)

// SignInSetting is how people sign in to Cirque itself.
const SignInSetting = "sign_in"

// SignInSettings say what is asked of who signs in, and how long a console may lie unused.
type SignInSettings struct {
	Idle   span.Span `json:"idle,omitempty" yaml:"idle,omitempty" doc:"A console session ends once nobody has used it for so long: 5m to 12h; 1h when absent."`
	Notice string    `json:"notice,omitempty" yaml:"notice,omitempty" doc:"What whoever signs in is to know, such as whose service this is and whom to ask; up to 600 letters, shown to everybody who opens the console."`
	// SecondFactor and Again are for owners to say: see SignInRules.
	SecondFactor []string  `json:"second_factor,omitempty" yaml:"second_factor,omitempty" enum:"owner,administrator,site-administrator,help-desk,auditor,person" doc:"Roles whose accounts here must have a second factor. Owners alone change it."`
	Again        span.Span `json:"again,omitempty" yaml:"again,omitempty" doc:"What matters most, such as accounts and tokens, is asked of whoever has shown within so long who they are: 1m to 12h; 15m when absent. Owners alone change it."`
	Note         string    `json:"note,omitempty" yaml:"note,omitempty"`
}

// signInRoles are those of which a second factor can be demanded.
var signInRoles = []string{"owner", "administrator", "site-administrator", "help-desk", "auditor", "person"}

// SignInRules is what owners alone say of signing in; settings without any are as none.
func (s *SignInSettings) SignInRules() (secondFactor []string, again time.Duration) {
	if s == nil {
		return nil, 0
	}
	return s.SecondFactor, s.Again.D()
}

// SecondFactor gives the roles whose accounts must have a second factor.
func (d *Document) SecondFactor() []string {
	if d.Settings == nil {
		return nil
	}
	roles, _ := d.Settings.SignIn.SignInRules()
	return roles
}

// proofLasts is how long a proof of who one is holds where nothing is set.
const proofLasts = 15 * time.Minute

// ProofLasts is for how long after somebody has shown who they are nothing asks for it again.
func (d *Document) ProofLasts() time.Duration {
	var again time.Duration
	if d.Settings != nil {
		_, again = d.Settings.SignIn.SignInRules()
	}
	return cmp.Or(again, proofLasts)
}

// noticeMost bounds what stands above the fields of a sign-in.
const noticeMost = 600

// SignInNotice is what whoever signs in is to know; empty where nothing was written.
func (d *Document) SignInNotice() string {
	if d.Settings == nil || d.Settings.SignIn == nil {
		return ""
	}
	return d.Settings.SignIn.Notice
}

// sessionIdle is how long a console may lie unused where nothing is set.
const sessionIdle = time.Hour

// SessionIdle is how long a console session lasts without being used.
func (d *Document) SessionIdle() time.Duration {
	if d.Settings == nil || d.Settings.SignIn == nil {
		return sessionIdle
	}
	return d.Settings.SignIn.Idle.Or(sessionIdle)
}

func (p *parser) signInSetting(n document.Node) *SignInSettings {
	v, ok := n.Object([]string{"again", "idle", "note", "notice", "second_factor", "again_minutes", "idle_minutes"})
	if !ok {
		return nil
	}
	p.setting(SignInSetting, n)
	s := &SignInSettings{Note: v.Text("note"), Notice: v.Text("notice")}
	if n, ok := v.Get("notice"); ok && utf8.RuneCountInString(s.Notice) > noticeMost {
		n.Complain("say the rest where the notice leads", "the notice has %d letters, and at most %d are shown",
			utf8.RuneCountInString(s.Notice), noticeMost)
	}
	spanOf(v, "idle", 5*time.Minute, 12*time.Hour, former{"idle_minutes", time.Minute}, &s.Idle)
	spanOf(v, "again", time.Minute, 12*time.Hour, former{"again_minutes", time.Minute}, &s.Again)
	if list, wrote := v.Get("second_factor"); wrote {
		for _, t := range list.Texts() {
			switch {
			case !slices.Contains(signInRoles, t.Value):
				t.Complain("write one of "+strings.Join(signInRoles, ", "), "%q is no role of an account", t.Value)
			case !slices.Contains(s.SecondFactor, t.Value):
				s.SecondFactor = append(s.SecondFactor, t.Value)
			}
		}
	}
	return s
}
