package fault

// The faults of publishers: those who send to a feed instead of being opened.
const (
	PublishKeyMissing Code = "publish-key-missing"
	PublishKeyWrong   Code = "publish-key-refused"
	PublishTooOften   Code = "publish-too-often"
	PublishPresent    Code = "publisher-present"
	PublishReplaced   Code = "publisher-replaced"
	PublishNotWaiting Code = "publish-not-waiting"
	PublisherLeft     Code = "publisher-left"
	PublisherStalled  Code = "publisher-stalled"
	PublisherGarbled  Code = "publisher-garbled"
	PublisherNoVideo  Code = "publisher-no-video"
	CommandMissing    Code = "feed-command-not-started"
	CommandEnded      Code = "feed-command-ended"
	PublisherCodec    Code = "publisher-codec-not-handled"
	PublisherKeyframe Code = "publisher-no-keyframe"
	PassEnded         Code = "publish-pass-ended"
	PublishersFull    Code = "publishers-full"
	PublishCodec      Code = "publish-offer-unfit"
	CameraPageGone    Code = "camera-page-unknown"
	PublisherNobody   Code = "publisher-nobody"
	NotPushed         Code = "feed-not-pushed"
)

// publishKinds are the rows of publishers.
var publishKinds = []Kind{
	{Code: PublishKeyMissing, Class: ClassRefused, Status: 401,
		Sentence: "Sending to this feed needs its key.",
		Remedy:   "Give the key with the address; \"webostrum feed key NAME\" makes another one."},
	{Code: PublishKeyWrong, Class: ClassRefused, Status: 403,
		Sentence: "There is no feed of that name that takes this key.",
		Remedy:   "Check the feed's name and the key; \"webostrum feed key NAME\" makes another one."},
	{Code: PublishTooOften, Class: ClassRefused, Status: 429,
		Sentence: "Too many wrong keys came from there.",
		Remedy:   "Wait for as long as it says, and check the key meanwhile."},
	{Code: PublishPresent, Class: ClassRefused, Status: 409,
		Sentence: "Somebody sends to this feed already.",
		Remedy:   "End the other one, or let who comes second take over: \"webostrum feed edit --take-over NAME\"."},
	{Code: PublishReplaced, Class: ClassRefused, Status: 409,
		Sentence: "Another publisher took the feed over.",
		Remedy:   "Nothing, if that was meant. Otherwise make another key for the feed."},
	{Code: PublishNotWaiting, Class: ClassRefused, Status: 503,
		Sentence: "The feed does not wait for anybody to send.",
		Remedy:   "Switch it on; a feed that is opened by its camera's address takes no publishers."},
	{Code: PublisherLeft, Class: ClassUnreachable, Status: badGateway,
		Sentence: "The publisher ended the connection.",
		Remedy:   "Nothing to do here: it may come back at any time."},
	{Code: PublisherStalled, Class: ClassBroken, Status: badGateway,
		Sentence: "The publisher stopped sending without closing the connection.",
		Remedy:   "Look at the publisher's own line and power; it may come back at any time."},
	{Code: PublisherGarbled, Class: ClassBroken, Status: badGateway,
		Sentence: "What the publisher sends makes no sense.",
		Remedy:   "Check that it is set to the protocol of that port; if it is, save a capture of the connection and report it."},
	{Code: PublisherNoVideo, Class: ClassBroken, Status: badGateway,
		Sentence: "The publisher sends no video.",
		Remedy:   "Choose a source with a picture in the publisher; a feed of audio alone is not handled."},
	{Code: PublisherCodec, Class: ClassBroken, Status: badGateway,
		Sentence: "The publisher sends video in a codec that is not handled.",
		Remedy:   "Set the publisher's encoder to H.264."},
	{Code: PublisherKeyframe, Class: ClassBroken, Status: badGateway,
		Sentence: "The publisher sends, but no picture that decoding could start with.",
		Remedy:   "Set a keyframe interval of one to four seconds in the publisher's encoder."},
	{Code: PassEnded, Class: ClassRefused, Status: 403,
		Sentence: "The time for which this pass lets somebody send is over.",
		Remedy:   "Ask whoever runs the service for another one."},
	{Code: PublishersFull, Class: ClassRefused, Status: 503,
		Sentence: "As many publishers send as there may be.",
		Remedy:   "Try again when another one has ended."},
	{Code: PublishCodec, Class: ClassUsage, Status: 406,
		Sentence: "The offer sends no video that is handled.",
		Remedy:   "Offer to send H.264, H.265 or VP8; every browser encodes one of them."},
	{Code: CameraPageGone, Class: ClassNotFound, Status: 409,
		Sentence: "No camera page sends to this feed that could be asked for anything.",
		Remedy:   "Open the feed's camera page on a phone or a laptop."},
	{Code: PublisherNobody, Class: ClassNotFound, Status: 404,
		Sentence: "Nobody sends to this feed at present.",
		Remedy:   "Ask again when somebody does."},
	{Code: CommandMissing, Class: ClassBroken, Status: badGateway,
		Sentence: "The feed's command cannot be started.",
		Remedy:   "Look at its path and who may run it; it stands under \"commands\" in the service's settings file."},
	{Code: CommandEnded, Class: ClassBroken, Status: badGateway,
		Sentence: "The feed's command ended.",
		Remedy:   "It is started again by itself. If it ends again, run it in a terminal and look at what it writes."},
	{Code: NotPushed, Class: ClassUsage, Status: 409,
		Sentence: "The feed opens its camera by an address, so nobody sends to it.",
		Remedy:   "Have it wait for a publisher: \"webostrum feed edit --pushed NAME\"."},
}
