package estate

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"cirque/core/document"
)

// SignInSetting is how people sign in to Cirque itself.
const SignInSetting = "sign_in"

// SignInSettings say what is asked of who signs in, and how long a console may lie unused.
type SignInSettings struct {
	IdleMinutes int `json:"idle_minutes,omitempty" yaml:"idle_minutes,omitempty" minimum:"5" maximum:"720" doc:"A console session ends once nobody has used it for so long; 60 when absent."`
	// SecondFactor and AgainMinutes are for owners to say: see SignInRules.
	SecondFactor []string `json:"second_factor,omitempty" yaml:"second_factor,omitempty" enum:"owner,administrator,site-administrator,help-desk,auditor,person" doc:"Roles whose accounts here must have a second factor. Owners alone change it."`
	AgainMinutes int      `json:"again_minutes,omitempty" yaml:"again_minutes,omitempty" minimum:"1" maximum:"720" doc:"What matters most, such as accounts and tokens, is asked of whoever has shown within so long who they are; 15 when absent. Owners alone change it."`
	Note         string   `json:"note,omitempty" yaml:"note,omitempty"`
}

// signInRoles are those of which a second factor can be demanded.
var signInRoles = []string{"owner", "administrator", "site-administrator", "help-desk", "auditor", "person"}

// SignInRules is what owners alone say of signing in; settings without any are as none.
func (s *SignInSettings) SignInRules() (secondFactor []string, againMinutes int) {
	if s == nil {
		return nil, 0
	}
	return s.SecondFactor, s.AgainMinutes
}

// SecondFactor gives the roles whose accounts must have a second factor.
func (d *Document) SecondFactor() []string {
	if d.Settings == nil {
		return nil
	}
	roles, _ := d.Settings.SignIn.SignInRules()
	return roles
}

// againMinutes is how long a proof of who one is holds where nothing is set.
const againMinutes = 15

// ProofLasts is for how long after somebody has shown who they are nothing asks for it again.
func (d *Document) ProofLasts() time.Duration {
	minutes := 0
	if d.Settings != nil {
		_, minutes = d.Settings.SignIn.SignInRules()
	}
	return time.Duration(cmp.Or(minutes, againMinutes)) * time.Minute
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
	v, ok := n.Object([]string{"again_minutes", "idle_minutes", "note", "second_factor"})
	if !ok {
		return nil
	}
	p.setting(SignInSetting, n)
	s := &SignInSettings{Note: v.Text("note")}
	number(v, "idle_minutes", 5, 720, &s.IdleMinutes)
	number(v, "again_minutes", 1, 720, &s.AgainMinutes)
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
