// Package ask answers questions about an open setup: what lights a point, how a
// figure stands out, where a lamp has to go, what is wrong, how a mood would look,
// how the target would draw it. Every question looks at a Shot of the setup, which
// does not change while it is answered: no lock is held meanwhile, and no edit waits.
// Questions end with their context.
package ask
