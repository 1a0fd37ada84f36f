// Package audio is what audio decoders and encoders of the worker have in common.
package audio

// Block is audio that is not coded: samples of 16 bits, those of one instant
// together.
type Block struct {
	Samples  []int16 // valid until the next call of what made it
	Rate     int     // samples of a channel a second
	Channels int
}

// Len is how many samples each channel has.
func (b Block) Len() int { return len(b.Samples) / b.Channels }

// Decoder makes blocks of coded units. An error is of this one unit.
type Decoder interface {
	Decode(data []byte) (Block, error)
	Close()
}

// Encoder makes coded units of blocks that all have Size samples.
type Encoder interface {
	// Size is how many samples a block has.
	Size() int
	// Delay is by how many samples what is decoded lags behind what was encoded.
	Delay() int
	// Encode returns a unit, whose bytes are valid until the next call; nothing when
	// it has none yet.
	Encode(samples []int16) ([]byte, error)
	Close()
}

// Mix makes a block have a number of channels, 1 or 2: one becomes two that are the
// same, more become one that is their mean.
func Mix(b Block, channels int) Block {
	if b.Channels == channels {
		return b
	}
	out := make([]int16, 0, b.Len()*channels)
	for i := 0; i+b.Channels <= len(b.Samples); i += b.Channels {
		sum := 0
		for _, s := range b.Samples[i : i+b.Channels] {
			sum += int(s)
		}
		mean := int16(sum / b.Channels)
		for range channels {
			out = append(out, mean)
		}
	}
	return Block{Samples: out, Rate: b.Rate, Channels: channels}
}
