package catalog

// Substitute is something that can take over what a package does: a function
// of the phone or a package, with what must be in place first.
type Substitute struct {
	Package string `json:"package,omitempty"`
	// Name is what people call it, such as "any messages app".
	Name string `json:"name"`
	// For is the function that it takes over, "" for all.
	For string `json:"for,omitempty"`
	// First is what must be in place before the package goes.
	First string `json:"first,omitempty"`
}
