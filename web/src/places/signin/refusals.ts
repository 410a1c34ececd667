// What is said to somebody who comes back from the provider and is not in; the
// server names the reason in the address.
export const refusals: Record<string, string | undefined> = {
  'no-role': 'You are known there, but none of your groups has a role here. A keeper can change that.',
  'provider-away': 'The provider does not answer. Try again in a minute; whoever runs Roster finds why in its log.',
  'provider-refused': 'The provider did not let you in.',
  'provider-wrong': 'What the provider said can’t be used. Whoever runs Roster finds why in its log.',
  'provider-taken': 'Somebody else here signs in with that identity already.',
  'sign-in-stale': 'That took too long, or was begun in another browser. Begin again.',
}
