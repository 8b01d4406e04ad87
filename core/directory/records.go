package directory

// A User is a person's account.
type User struct {
	Name        string `json:"name" yaml:"name"`
	DisplayName string `json:"display_name,omitempty" yaml:"display_name,omitempty"`
	Email       string `json:"email,omitempty" yaml:"email,omitempty"`
	Unit        string `json:"unit,omitempty" yaml:"unit,omitempty"`
	Employee    string `json:"employee,omitempty" yaml:"employee,omitempty" doc:"The employee's number."`
	ExternalID  string `json:"external_id,omitempty" yaml:"external_id,omitempty"`
	Source      string `json:"-" yaml:"-"` // where it comes from, once it is kept
}

// A Group is a set of users, machines and groups.
type Group struct {
	Name       string   `json:"name" yaml:"name"`
	Members    []string `json:"members,omitempty" yaml:"members,omitempty" doc:"user:N, group:N or machine:N"`
	ExternalID string   `json:"external_id,omitempty" yaml:"external_id,omitempty"`
	Source     string   `json:"-" yaml:"-"`
}

// A Machine is a computer that the directory knows.
type Machine struct {
	Name       string `json:"name" yaml:"name"`
	Unit       string `json:"unit,omitempty" yaml:"unit,omitempty"`
	Location   string `json:"location,omitempty" yaml:"location,omitempty"`
	Platform   string `json:"platform,omitempty" yaml:"platform,omitempty"`
	ExternalID string `json:"external_id,omitempty" yaml:"external_id,omitempty"`
	Source     string `json:"-" yaml:"-"`
}

// Records are what one source, or all sources together, hold.
type Records struct {
	Users    []User    `json:"users"`
	Groups   []Group   `json:"groups"`
	Machines []Machine `json:"machines"`

	Links Links `json:"-"` // which accounts are one person
}
