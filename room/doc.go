// Package room holds who looks at a setup: its windows, what each of them sees and
// drags, and the news that go to them. The way of an edit is short: it comes from
// the journal into the room and goes out to the windows, before anybody has made a
// picture of it. Rooms that nobody is in are closed after a while.
//
// News are encoded once for all windows. In a window's box the newest of each topic
// takes the place of what is still waiting, so that a slow window is spared what is
// out of date; one that falls far behind all the same is closed, and comes back for
// a fresh start.
package room
