// Package webhook tells receivers elsewhere what the public feed tells, signed as
// Standard Webhooks has it (https://www.standardwebhooks.com). What is told and
// when is the server's and the store's; here is how it goes out, and that it goes
// nowhere it should not.
package webhook
