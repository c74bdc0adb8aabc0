package room

import "sync"

// Bounds of a window's box.
const (
	maxLetters = 1024
	maxWaiting = 64 << 20 // bytes
)

// Box holds the news that wait for one window.
type Box struct {
	mu      sync.Mutex
	letters []letter // taken or replaced ones have no text
	topics  map[string]int
	bytes   int
	ready   chan struct{}
	full    bool
}

type letter struct {
	topic string
	text  []byte
}

func newBox() *Box { return &Box{topics: map[string]int{}, ready: make(chan struct{}, 1)} }

// put adds a message. The text is shared by many boxes and never written to.
func (b *Box) put(topic string, text []byte) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.full {
		return
	}
	if at, ok := b.topics[topic]; ok && topic != "" {
		b.bytes -= len(b.letters[at].text)
		b.letters[at].text = nil
	}
	b.letters = append(b.letters, letter{topic, text})
	b.bytes += len(text)
	if topic != "" {
		b.topics[topic] = len(b.letters) - 1
	}
	if len(b.topics) < len(b.letters)/2 && len(b.letters) > maxLetters || b.bytes > maxWaiting {
		b.tidy()
		if len(b.letters) > maxLetters || b.bytes > maxWaiting {
			b.full, b.letters, b.topics, b.bytes = true, nil, nil, 0
		}
	}
	select {
	case b.ready <- struct{}{}:
	default:
	}
}

// tidy drops the places of what was replaced.
func (b *Box) tidy() {
	kept := b.letters[:0]
	for _, l := range b.letters {
		if l.text != nil {
			if l.topic != "" {
				b.topics[l.topic] = len(kept)
			}
			kept = append(kept, l)
		}
	}
	clear(b.letters[len(kept):])
	b.letters = kept
}

// Ready is readable when there is something to take, or the box has run full.
func (b *Box) Ready() <-chan struct{} { return b.ready }

// Take empties the box. ok is false when it has run full: the window has to begin
// anew.
func (b *Box) Take() (texts [][]byte, ok bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.full {
		return nil, false
	}
	for _, l := range b.letters {
		if l.text != nil {
			texts = append(texts, l.text)
		}
	}
	b.letters, b.bytes = nil, 0
	clear(b.topics)
	return texts, true
}
