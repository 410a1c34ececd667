package store

import (
	"context"
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/people"
)

// InstallationRules are what the keeper decides for everybody.
type InstallationRules struct {
	// IdleHours is after how long without a request a session ends.
	IdleHours int `json:"idleHours" minimum:"1" maximum:"336" doc:"After how many hours without a request a session ends"`
	// BenchNetworks are where technicians may have a bench connect to phones by
	// their address. Maintainers may anywhere.
	BenchNetworks []string `json:"benchNetworks" maxItems:"50" nullable:"false" doc:"Networks such as 192.0.2.0/24 in which technicians may have a bench connect to phones; maintainers may anywhere"`
	// BackupDays is for how long what was saved of a phone stays, 0 for ever.
	BackupDays int `json:"backupDays" minimum:"0" maximum:"3650" doc:"For how many days what was saved of a phone stays, unless it is needed; 0 for ever"`
	// NoPasswords has people sign in by the provider alone, where there is one.
	NoPasswords bool `json:"noPasswords" doc:"People sign in by the provider alone, where there is one"`
	// GroupRoles are which groups of the provider have which role. Of several the
	// highest counts; where there are any, who is in none does not get in.
	GroupRoles []GroupRole `json:"groupRoles" maxItems:"50" nullable:"false" doc:"The role of a provider's group; the highest counts, who is in none stays out"`
	// PasskeyRoles are the roles that need a passkey beside their password.
	PasskeyRoles []people.Role `json:"passkeyRoles" maxItems:"4" nullable:"false" enum:"technician,reviewer,maintainer,keeper" doc:"Roles that need a passkey"`
}

// GroupRole is the role of a provider's group.
type GroupRole struct {
	Group string      `json:"group" minLength:"1" maxLength:"200"`
	Role  people.Role `json:"role" enum:"technician,reviewer,maintainer,keeper"`
}

// RoleOf is the highest role that groups have; "" where they have none.
func (r InstallationRules) RoleOf(groups []string) (role people.Role) {
	for _, g := range r.GroupRoles {
		if slices.Contains(groups, g.Group) && slices.Index(people.Roles, g.Role) > slices.Index(people.Roles, role) {
			role = g.Role
		}
	}
	return role
}

// DefaultInstallationRules hold where the keeper has set none.
var DefaultInstallationRules = InstallationRules{
	IdleHours: 72, BenchNetworks: []string{}, BackupDays: 90, GroupRoles: []GroupRole{}, PasskeyRoles: []people.Role{},
}

// Check says what is wrong with rules.
func (r InstallationRules) Check() error {
	if r.IdleHours < 1 || r.IdleHours > 336 {
		return fmt.Errorf("a session ends after 1 to 336 hours, not %d", r.IdleHours)
	}
	if r.BackupDays < 0 || r.BackupDays > 3650 {
		return fmt.Errorf("what was saved stays for 1 to 3650 days, or with 0 for ever, not %d", r.BackupDays)
	}
	for _, g := range r.GroupRoles {
		if !g.Role.Valid() || strings.TrimSpace(g.Group) == "" {
			return fmt.Errorf("the group %q has the role %q, which is none", g.Group, g.Role)
		}
	}
	for _, role := range r.PasskeyRoles {
		if !role.Valid() {
			return fmt.Errorf("there is no role %q", role)
		}
	}
	for _, n := range r.BenchNetworks {
		if _, err := netip.ParsePrefix(n); err != nil {
			return fmt.Errorf("%q is not a network such as 192.0.2.0/24", n)
		}
	}
	return nil
}

// Reaches reports whether technicians may have a bench connect to an address
// with a port.
func (r InstallationRules) Reaches(address string) bool {
	at, err := netip.ParseAddrPort(address)
	if err != nil {
		return false
	}
	for _, n := range r.BenchNetworks {
		if p, err := netip.ParsePrefix(n); err == nil && p.Contains(at.Addr().Unmap()) {
			return true
		}
	}
	return false
}

const installationRulesKey = "installation rules"

// InstallationRules reads the rules, and how often they were changed.
func (s *Store) InstallationRules(ctx context.Context) (r InstallationRules, revision int, err error) {
	return installationRules(ctx, s.pool)
}

func installationRules(ctx context.Context, q querier) (r InstallationRules, revision int, err error) {
	var set []byte
	err = q.QueryRow(ctx, `
		select value, revision from settings where key = $1`, installationRulesKey).Scan(&set, &revision)
	r = DefaultInstallationRules // what was no rule yet when they were set
	if isNone(err) {
		return r, 0, nil
	}
	if err == nil {
		err = json.Unmarshal(set, &r)
	}
	return r, revision, err
}

// SetInstallationRules changes the rules. The revision is the one that the keeper
// saw: ErrStale where somebody was faster.
func (s *Store) SetInstallationRules(ctx context.Context, keeper uuid.UUID, revision int, r InstallationRules) error {
	if err := r.Check(); err != nil {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `lock table settings in share row exclusive mode`); err != nil {
			return err
		}
		before, now, err := installationRules(ctx, tx)
		if err == nil && now != revision {
			err = ErrStale
		}
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into settings as s (key, value) values ($1, $2)
			on conflict (key)
			do update set value = excluded.value, revision = s.revision + 1,
				changed_at = now()`, installationRulesKey, r)
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: RulesChanged}); err != nil {
			return err
		}
		return recordTurned(ctx, tx, Act{Person: keeper, Action: "rules.set", Subject: "installation"}, before, r)
	})
}
