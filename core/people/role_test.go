package people

import "testing"

func TestAtLeast(t *testing.T) {
	for _, c := range []struct {
		role, least Role
		want        bool
	}{{Technician, Technician, true}, {Technician, Reviewer, false}, {Keeper, Technician, true}, {Maintainer, Keeper, false}, {"", Technician, false}, {"owner", Technician, false}} {
		if got := c.role.AtLeast(c.least); got != c.want {
			t.Errorf("%q at least %q: %v", c.role, c.least, got)
		}
	}
	if Role("Keeper").Valid() || !Keeper.Valid() {
		t.Error("what is a role")
	}
}
