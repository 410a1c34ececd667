// Package desk orders what waits for a person: each line says what it is about
// in a sentence, where it is dealt with, and how much harm waiting can do. Which
// lines there are is read from the store; nothing here remembers any.
package desk
