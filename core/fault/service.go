package fault

// The faults of requests to the service.
const (
	FeedUnknown        Code = "feed-unknown"
	NameTaken          Code = "name-taken"
	FeedOff            Code = "feed-off"
	FeedNotReady       Code = "feed-not-ready"
	CameraAway         Code = "camera-away"
	DeliveryUnknown    Code = "delivery-unknown"
	DeliveryOff        Code = "delivery-off"
	ReportsOff         Code = "reports-off"
	SearchBusy         Code = "search-busy"
	SearchUnknown      Code = "search-unknown"
	SegmentUnknown     Code = "segment-unknown"
	DirectiveRefused   Code = "directive-refused"
	SegmentUnreadable  Code = "segment-unreadable"
	RenditionUnknown   Code = "rendition-unknown"
	RenditionUnfit     Code = "rendition-unfit"
	TranscoderMissing  Code = "transcoder-missing"
	TranscodingRefused Code = "transcoding-refused"
	TooLarge           Code = "picture-too-large"
	Input              Code = "input-refused"
	PasswordNeeded     Code = "camera-password-needed"
	MethodNotAllowed   Code = "method-not-allowed"
	SignInNeeded       Code = "sign-in-needed"
	FeedSignInNeeded   Code = "feed-sign-in-needed"
	SignInWrong        Code = "sign-in-refused"
	SignInTooOften     Code = "sign-in-too-often"
	SignInBusy         Code = "sign-in-busy"
	NotAllowed         Code = "not-allowed"
	AccountUnknown     Code = "account-unknown"
	AccountNeeded      Code = "account-needed"
	AccountChanged     Code = "account-changed"
	LinkUnknown        Code = "link-unknown"
	LinkForged         Code = "link-not-ours"
	LinkEnded          Code = "link-ended"
	LinkForeign        Code = "link-of-another-feed"
	LinkDelivery       Code = "link-without-delivery"
	LinkViewersFull    Code = "link-viewers-full"
	SiteRefused        Code = "site-refused"
	FeedRefused        Code = "feed-not-yours"
	AccessTaken        Code = "access-taken-away"
	TokenScope         Code = "token-scope"
	TokenUnknown       Code = "token-unknown"
	CodeNeeded         Code = "code-needed"
	CodeWrong          Code = "code-refused"
	LastEngineer       Code = "last-engineer"
	RequestUnknown     Code = "camera-request-unknown"
	ViewerUnknown      Code = "viewer-unknown"
	ViewersFull        Code = "viewers-full"
	FeedViewersFull    Code = "feed-viewers-full"
	AddressViewersFull Code = "address-viewers-full"
	ViewerEnded        Code = "viewer-ended"
	StreamsFull        Code = "streams-full"
	OffersTooOften     Code = "offers-too-often"
	OfferType          Code = "offer-type"
	OfferTooLarge      Code = "offer-too-large"
	OfferLate          Code = "offer-late"
	OfferUnfit         Code = "offer-unfit"
	OfferBroken        Code = "offer-broken"
	OfferUnanswered    Code = "offer-not-answered"
	WebRTCOff          Code = "webrtc-off"
	SessionUnknown     Code = "session-unknown"
	PatchType          Code = "patch-type"
	PatchOutdated      Code = "patch-outdated"
	RestartRefused     Code = "restart-refused"
	HTTPVersion        Code = "http-version"
	PageUnknown        Code = "page-unknown"
	HostForeign        Code = "host-foreign"
	FeedNotShown       Code = "feed-not-shown-here"
	NoAuthority        Code = "authority-none"
	CheckUnknown       Code = "reach-check-unknown"
	ReachReportBroken  Code = "reach-report-broken"
	ChecksFull         Code = "reach-devices-full"
	RouterOff          Code = "router-off"
	AllowanceUsed      Code = "allowance-used"
	PassphraseShort    Code = "passphrase-short"
	PassphraseWrong    Code = "passphrase-wrong"
	BackupBusy         Code = "backup-busy"
	BackupNone         Code = "backup-none"
	BackupCut          Code = "backup-cut"
	BackupNewer        Code = "backup-newer"
	RestoreOff         Code = "restore-off"
	FormatUnknown      Code = "format-unknown"
	OEmbedUnknown      Code = "oembed-unknown"
	ConsoleMissing     Code = "console-missing"
	RecordingUnfit     Code = "recording-unfit"
	RecordingNone      Code = "recording-none"
	RecordingMixed     Code = "recording-mixed"
	RecordingTooLong   Code = "recording-too-long"
	RecordingFolder    Code = "recording-folder"
	RecordingDisk      Code = "recording-disk"
	RecordingOff       Code = "recording-off"
	CopiesFailed       Code = "copies-failed"
	CopiesRefused      Code = "copies-refused"
	CopiesAway         Code = "copies-away"
	OutletForeign      Code = "outlet-foreign"
	OutletFailed       Code = "outlet-failed"
	OutletRefused      Code = "outlet-refused"
	SourcesAway        Code = "sources-away"
	NoTurns            Code = "turns-none"
	StillNone          Code = "still-none"
	FilmsFull          Code = "films-full"
	FilmEmpty          Code = "film-empty"
	FilmFailed         Code = "film-failed"
	FilmCancelled      Code = "film-cancelled"
	DiskFull           Code = "disk-full"
	Stopping           Code = "service-stopping"
	Failed             Code = "service-failed"
)

// serviceKinds are the rows of requests to the service.
var serviceKinds = []Kind{
	{Code: FeedUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no feed of that name.",
		Remedy:   "List the feeds to see which there are."},
	{Code: NameTaken, Class: ClassRefused, Status: 409,
		Sentence: "That name is in use already.",
		Remedy:   "Choose another name, or change what has it."},
	{Code: FeedOff, Class: ClassRefused, Status: 503,
		Sentence: "The feed is switched off.",
		Remedy:   "Switch it on, or ask again later."},
	{Code: FeedNotReady, Class: ClassRefused, Status: 503,
		Sentence: "There is nothing to play yet.",
		Remedy:   "Ask again in a moment; a player does so by itself."},
	{Code: CameraAway, Class: ClassRefused, Status: 503,
		Sentence: "The camera is not there at the moment.",
		Remedy:   "Ask again in a moment; a player does so by itself."},
	{Code: DeliveryUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is nothing under that address.",
		Remedy:   "A feed has whep, live.mp4, hls/index.m3u8, mjpeg and still.jpg."},
	{Code: DeliveryOff, Class: ClassRefused, Status: 403,
		Sentence: "This delivery is switched off for the feed.",
		Remedy:   "Use another one, or have an engineer switch it on."},
	{Code: SettingUnfit, Class: ClassUsage, Status: 422,
		Sentence: "The camera cannot be set to that.", Remedy: "Choose what the camera says that it has."},
	{Code: DeviceNotFound, Class: ClassNotFound, Status: 404,
		Sentence: "The camera was not found on the service's networks.", Remedy: "Check that it is switched on and on the same network, and that it answers searches (WS-Discovery)."},
	{Code: DeviceMoved, Class: ClassRefused, Status: 409,
		Sentence: "The camera was found at another address, and the feed does not go there by itself.", Remedy: "Make sure that the address is the camera's, then set the feed to it on the search page or by \"webostrum camera follow\"."},
	{Code: DeviceUnknown, Class: ClassNotFound, Status: 409,
		Sentence: "This feed does not know its camera's ONVIF device.", Remedy: "Set the feed's device: its ONVIF address, and the token of the profile that it shows."},
	{Code: SearchBusy, Class: ClassRefused, Status: 409,
		Sentence: "As many searches run as may at a time.",
		Remedy:   "Wait for one to end, and search again."},
	{Code: SearchUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such search.",
		Remedy:   "The last sixteen are kept until the service ends: start another one."},
	{Code: ReportsOff, Class: ClassRefused, Status: 403,
		Sentence: "This feed does not want to know how it plays.",
		Remedy:   "Have an engineer let viewers' players report, or send no reports."},
	{Code: DirectiveRefused, Class: ClassUsage, Status: 400,
		Sentence: "What was asked of the playlist cannot be waited for.",
		Remedy:   "Ask for the playlist without directives, which says where it is."},
	{Code: SegmentUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such segment, or no longer.",
		Remedy:   "Ask for the playlist, hls/index.m3u8, which says what there is."},
	{Code: SegmentUnreadable, Class: ClassUnknown, Status: 503,
		Sentence: "The segment cannot be read.",
		Remedy:   "Ask again; if it goes on, raise the service's limit of open files."},
	{Code: RenditionUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "The feed has no rendition of that name.",
		Remedy:   "List the feed's renditions to see which there are."},
	{Code: RenditionUnfit, Class: ClassNotFound, Status: 404,
		Sentence: "That rendition cannot go out in this delivery.",
		Remedy:   "Ask for a rendition of the right codec: H.264 for HLS and WebRTC, JPEG for Motion JPEG and stills."},
	{Code: TranscoderMissing, Class: ClassRefused, Status: 503,
		Sentence: "This needs transcoding, and the codec worker is missing here.",
		Remedy:   "Put webostrum-codecs beside webostrum, or say where it is with --codecs, and start the service again."},
	{Code: TranscodingRefused, Class: ClassRefused, Status: 503,
		Sentence: "This cannot be transcoded at present.",
		Remedy:   "Ask for a size and rate that others get already, or wait until one is no longer used."},
	{Code: TooLarge, Class: ClassUsage, Status: 422,
		Sentence: "That is larger than the camera's picture.",
		Remedy:   "Ask for a smaller size, or have an engineer add a rendition of that size."},
	{Code: Input, Class: ClassUsage, Status: 422,
		Sentence: "The input cannot be used.",
		Remedy:   "Correct what is named and send it again."},
	{Code: PasswordNeeded, Class: ClassUsage, Status: 422,
		Sentence: "The camera's host is another now, and its password is not sent to another host.",
		Remedy:   "Give user and password again, or take them away."},
	{Code: MethodNotAllowed, Class: ClassUsage, Status: 405,
		Sentence: "That method is not for this address.",
		Remedy:   "The Allow header says which are."},
	{Code: SignInNeeded, Class: ClassRefused, Status: 401,
		Sentence: "This needs a sign-in.",
		Remedy:   "Sign in first."},
	{Code: FeedSignInNeeded, Class: ClassRefused, Status: 401,
		Sentence: "This feed is for people who have signed in.",
		Remedy:   "Sign in first, or use a link that an engineer has made."},
	{Code: SignInWrong, Class: ClassRefused, Status: 401,
		Sentence: "Name or password is wrong.",
		Remedy:   "Try again. Whoever runs the service can give an account another password."},
	{Code: SignInTooOften, Class: ClassRefused, Status: 429,
		Sentence: "Too many sign-ins have failed.",
		Remedy:   "Wait as long as Retry-After says, then try again."},
	{Code: SignInBusy, Class: ClassRefused, Status: 503,
		Sentence: "Too many sign-ins are being checked.",
		Remedy:   "Try again in a few seconds."},
	{Code: NotAllowed, Class: ClassRefused, Status: 403,
		Sentence: "This is for engineers: other accounts see their feeds, and change nothing.",
		Remedy:   "Sign in with an engineer's account."},
	{Code: AccountUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no account of that name.",
		Remedy:   "List the accounts to see which there are."},
	{Code: AccountNeeded, Class: ClassRefused, Status: 409,
		Sentence: "The first account is the command line's; it cannot be removed.",
		Remedy:   "Give it another password instead."},
	{Code: AccessTaken, Class: ClassRefused, Status: 403,
		Sentence: "Access was taken away while this was being opened.",
		Remedy:   "Ask for a new link, or sign in again."},
	{Code: AccountChanged, Class: ClassRefused, Status: 409,
		Sentence: "The account's sign-in was changed by another request at the same time.",
		Remedy:   "Sign in again, and repeat the change if it is still needed."},
	{Code: LinkUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "The feed has no link of that name.",
		Remedy:   "List the feed's links to see which there are."},
	{Code: LinkForged, Class: ClassNotFound, Status: 404,
		Sentence: "This link is not one of this service's.",
		Remedy:   "Check that all of the address was copied, or ask for a new link."},
	{Code: LinkEnded, Class: ClassRefused, Status: 410,
		Sentence: "This link has ended.",
		Remedy:   "Ask whoever gave it to you for a new one."},
	{Code: LinkForeign, Class: ClassRefused, Status: 403,
		Sentence: "This link is for another feed.",
		Remedy:   "Use the address as it was given to you."},
	{Code: LinkDelivery, Class: ClassRefused, Status: 403,
		Sentence: "This link does not open this delivery.",
		Remedy:   "Use another delivery, or ask for a link that opens it."},
	{Code: LinkViewersFull, Class: ClassRefused, Status: 503,
		Sentence: "As many viewers watch by this link as it lets in.",
		Remedy:   "Try again later."},
	{Code: SiteRefused, Class: ClassRefused, Status: 403,
		Sentence: "This camera may not be shown on this site.",
		Remedy:   "Whoever runs the camera can add the site to those that may show it."},
	{Code: FeedRefused, Class: ClassRefused, Status: 403,
		Sentence: "Your account may not watch this feed.",
		Remedy:   "Ask an engineer to name your account in the feed's audience."},
	{Code: TokenScope, Class: ClassRefused, Status: 403,
		Sentence: "This token is not for that.",
		Remedy:   "Use a token whose scope has it."},
	{Code: TokenUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such token or session, or no longer.",
		Remedy:   "List them to see which there are."},
	{Code: CodeNeeded, Class: ClassRefused, Status: 401,
		Sentence: "This account has a second factor.",
		Remedy:   "Give the six digits that your authenticator shows, too."},
	{Code: CodeWrong, Class: ClassRefused, Status: 401,
		Sentence: "The code is wrong, or was used already.",
		Remedy:   "Wait for the next one, and check that the clocks of both devices are right."},
	{Code: LastEngineer, Class: ClassRefused, Status: 409,
		Sentence: "Without this account there would be no engineer any more.",
		Remedy:   "Make another account an engineer's first."},
	{Code: RequestUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "The feed has no camera request of that name.",
		Remedy:   "Show the feed to see which there are."},
	{Code: ViewerUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such viewer, or no longer.",
		Remedy:   "List the viewers to see who watches."},
	{Code: ViewersFull, Class: ClassRefused, Status: 503,
		Sentence: "As many viewers watch as the service takes.",
		Remedy:   "Try again later."},
	{Code: FeedViewersFull, Class: ClassRefused, Status: 503,
		Sentence: "As many viewers watch this feed as it may have.",
		Remedy:   "Try again later."},
	{Code: AddressViewersFull, Class: ClassRefused, Status: 503,
		Sentence: "As many viewers watch from this address as may.",
		Remedy:   "Close some of the pages that are open, or sign in."},
	{Code: ViewerEnded, Class: ClassRefused, Status: 403,
		Sentence: "An engineer has ended this viewer.",
		Remedy:   "Wait a minute, or ask why."},
	{Code: StreamsFull, Class: ClassRefused, Status: 503,
		Sentence: "Too many pages are open.",
		Remedy:   "Close some, then try again."},
	{Code: OffersTooOften, Class: ClassRefused, Status: 429,
		Sentence: "Too many offers come from this address.",
		Remedy:   "Wait a second, then try again."},
	{Code: OfferType, Class: ClassUsage, Status: 415,
		Sentence: "An offer is sent as application/sdp.",
		Remedy:   "Set Content-Type."},
	{Code: OfferTooLarge, Class: ClassUsage, Status: 413,
		Sentence: "The offer or change is larger than 64 KiB.",
		Remedy:   "Send an SDP offer as a browser makes it."},
	{Code: OfferLate, Class: ClassUsage, Status: 408,
		Sentence: "The offer did not come to its end in time.",
		Remedy:   "Send it in one piece."},
	{Code: OfferUnfit, Class: ClassUsage, Status: 406,
		Sentence: "The offer asks for no video that can be sent.",
		Remedy:   "Offer to receive H.264 with packetization-mode 1, or use hls/index.m3u8 or mjpeg."},
	{Code: OfferBroken, Class: ClassUsage, Status: 400,
		Sentence: "The offer cannot be used.",
		Remedy:   "Send an SDP offer as a browser makes it."},
	{Code: OfferUnanswered, Class: ClassUnknown, Status: 503,
		Sentence: "The answer was not ready in time.",
		Remedy:   "Try again."},
	{Code: WebRTCOff, Class: ClassNotFound, Status: 404,
		Sentence: "WebRTC is switched off here.",
		Remedy:   "Use hls/index.m3u8 or mjpeg."},
	{Code: SessionUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such session, or no longer.",
		Remedy:   "Begin one by posting an offer to whep."},
	{Code: PatchType, Class: ClassUsage, Status: 415,
		Sentence: "A change is sent as application/trickle-ice-sdpfrag.",
		Remedy:   "Set Content-Type."},
	{Code: PatchOutdated, Class: ClassUsage, Status: 412,
		Sentence: "The change is for ICE credentials that the session no longer has.",
		Remedy:   "Take the newest Etag, or begin anew with If-Match: \"*\"."},
	{Code: RestartRefused, Class: ClassUsage, Status: 422,
		Sentence: "The change of ICE credentials cannot be used.",
		Remedy:   "Send ice-ufrag and ice-pwd of a new offer, or end the session and begin another."},
	{Code: HTTPVersion, Class: ClassUsage, Status: 505,
		Sentence: "Motion JPEG needs a connection of its own, which this version of HTTP does not give.",
		Remedy:   "Ask over HTTP/1.1."},
	{Code: PageUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is nothing under that address.",
		Remedy:   "The console is at /."},
	{Code: HostForeign, Class: ClassRefused, Status: 421,
		Sentence: "The service does not answer to that name.",
		Remedy:   "Use one of its names, or its IP address. Whoever runs it adds a name by --name, or the outside address by --outside."},
	{Code: FeedNotShown, Class: ClassRefused, Status: 403,
		Sentence: "This feed is not shown here.",
		Remedy:   "Use a link that an engineer has made. This address shows what is for everyone, and what links open; nobody signs in here."},
	{Code: NoAuthority, Class: ClassNotFound, Status: 404,
		Sentence: "The service has no authority of its own.",
		Remedy:   "There is nothing to trust here: its certificate, if it has one, is signed by another authority. --own-authority makes one."},
	{Code: CheckUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such check, or it has ended.",
		Remedy:   "Have an engineer make one: in the console under Ways in, or by \"webostrum reach check\". It holds for an hour."},
	{Code: ReachReportBroken, Class: ClassUsage, Status: 422,
		Sentence: "The report of what was tried cannot be read.",
		Remedy:   "Load the page anew."},
	{Code: ChecksFull, Class: ClassRefused, Status: 429,
		Sentence: "As many devices have reported to this check as may.",
		Remedy:   "Have an engineer make another one."},
	{Code: AllowanceUsed, Class: ClassRefused, Status: 503,
		Sentence: "What may be sent to viewers this month is sent.",
		Remedy:   "It goes on with the month that comes. Who has signed in or has a link still gets in; an engineer can raise the allowance."},
	{Code: PassphraseShort, Class: ClassUsage, Status: 422,
		Sentence: "A backup is sealed by a passphrase of 8 letters at least.",
		Remedy:   "Give one, and keep it elsewhere than the backup: without it nobody can open the backup."},
	{Code: PassphraseWrong, Class: ClassRefused, Status: 403,
		Sentence: "The passphrase is not the one that the backup was sealed by.",
		Remedy:   "Try it again; capitals and spaces count. Nothing was changed."},
	{Code: BackupBusy, Class: ClassRefused, Status: 409,
		Sentence: "A backup is being made or restored already.",
		Remedy:   "Wait for its end, then try again."},
	{Code: BackupNone, Class: ClassUsage, Status: 422,
		Sentence: "That is no backup of this service.",
		Remedy:   "Choose a file that \"webostrum backup\" has written. Nothing was changed."},
	{Code: BackupCut, Class: ClassUsage, Status: 422,
		Sentence: "The backup is not whole.",
		Remedy:   "Copy it again from where it was made, or take the one before. Nothing was changed."},
	{Code: BackupNewer, Class: ClassUsage, Status: 422,
		Sentence: "The backup was written by a newer version.",
		Remedy:   "Install that version first, or take a backup from before. Nothing was changed."},
	{Code: RestoreOff, Class: ClassRefused, Status: 409,
		Sentence: "This service cannot start anew by itself.",
		Remedy:   "Stop it, run \"webostrum restore\" with its data folder, and start it again."},
	{Code: RouterOff, Class: ClassRefused, Status: 409,
		Sentence: "The service does not speak to routers here.",
		Remedy:   "Write the rules into the router by hand, as \"webostrum reach\" lists them."},
	{Code: FormatUnknown, Class: ClassUsage, Status: 501,
		Sentence: "The answer cannot be had in that format.",
		Remedy:   "Ask for format=json."},
	{Code: OEmbedUnknown, Class: ClassNotFound, Status: 404,
		Sentence: "That is not the address of a page of this service that shows a feed.",
		Remedy:   "Give the address of a watch or embed page as the parameter url."},
	{Code: ConsoleMissing, Class: ClassNotFound, Status: 404,
		Sentence: "The console is not built into this program.",
		Remedy:   "Run \"make build\"."},
	{Code: RecordingUnfit, Class: ClassRefused, Status: 409,
		Sentence: "What the camera sends cannot be recorded as it is.",
		Remedy:   "Set the camera to H.264 or H.265, or install the codec worker, which transcodes all else."},
	{Code: RecordingNone, Class: ClassNotFound, Status: 404,
		Sentence: "Nothing was recorded in that time.",
		Remedy:   "See by \"webostrum recording list\", or on the feed's page, from when there is something."},
	{Code: RecordingMixed, Class: ClassRefused, Status: 409,
		Sentence: "The camera sent in different ways in that time, which one file cannot hold.",
		Remedy:   "Export each part by itself; the detail says where it changes."},
	{Code: RecordingTooLong, Class: ClassRefused, Status: 409,
		Sentence: "That is more than can be exported at once.",
		Remedy:   "Export a shorter time: 2,000,000 frames, which are 22 hours at 25 fps, are the most."},
	{Code: RecordingFolder, Class: ClassUnknown, Status: 503,
		Sentence: "The folder for recordings cannot be used.",
		Remedy:   "See that its disk is there and mounted; the detail says what was found."},
	{Code: RecordingDisk, Class: ClassUnknown, Status: 503,
		Sentence: "The disk for recordings cannot be read or written.",
		Remedy:   "Look at the disk and at the rights of the folder; it is tried again every few seconds."},
	{Code: RecordingOff, Class: ClassRefused, Status: 404,
		Sentence: "Viewers cannot go back in time in this feed.",
		Remedy:   "An engineer can let them: \"webostrum feed edit FEED --go-back\"."},
	{Code: CopiesFailed, Class: ClassUnknown, Status: 503,
		Sentence: "Recordings cannot be copied to the object store.",
		Remedy:   "The detail says what came back; it is tried again every few seconds, and nothing is lost."},
	{Code: CopiesAway, Class: ClassUnknown, Status: 503,
		Sentence: "The object store does not give what was recorded.",
		Remedy:   "The detail says what came back; try again in a moment. What is on the service's own disk can be played meanwhile."},
	{Code: CopiesRefused, Class: ClassRefused, Status: 409,
		Sentence: "The object store does not take recordings.",
		Remedy:   "Correct the keys, and what they may do in the bucket."},
	{Code: OutletForeign, Class: ClassRefused, Status: 409,
		Sentence: "The folder for the feed's files is not ours.",
		Remedy:   "Choose an empty folder; the detail says what is in this one."},
	{Code: OutletFailed, Class: ClassUnknown, Status: 503,
		Sentence: "The feed's files cannot be put to where the web server is.",
		Remedy:   "The detail says what came back; it is tried again every few seconds."},
	{Code: OutletRefused, Class: ClassRefused, Status: 409,
		Sentence: "The web server does not let the feed's files be put.",
		Remedy:   "Correct user and password, and what they may do there."},
	{Code: SourcesAway, Class: ClassRefused, Status: 503,
		Sentence: "None of the feeds that it is made of is live.",
		Remedy:   "See to those feeds; it comes back by itself with the first of them."},
	{Code: NoTurns, Class: ClassRefused, Status: 409,
		Sentence: "This feed does not take turns with others.",
		Remedy:   "A feed that does is added by \"webostrum feed add NAME --turns FEED,FEED\"."},
	{Code: StillNone, Class: ClassNotFound, Status: 404,
		Sentence: "There is no such still or film.",
		Remedy:   "List what there is: \"webostrum film list FEED\", \"webostrum stills list FEED\"."},
	{Code: FilmsFull, Class: ClassRefused, Status: 503,
		Sentence: "Many films wait to be made.",
		Remedy:   "Ask again when some of them are made."},
	{Code: FilmEmpty, Class: ClassNotFound, Status: 404,
		Sentence: "There are no pictures of that time to make a film of.",
		Remedy:   "See by \"webostrum stills list FEED\" or \"webostrum recording show FEED\" what there is."},
	{Code: FilmFailed, Class: ClassUnknown, Status: 500,
		Sentence: "The film could not be made.",
		Remedy:   "The detail says why; order it again when that is mended."},
	{Code: FilmCancelled, Class: ClassRefused, Status: 409,
		Sentence: "Making the film was ended.",
		Remedy:   "Order it again."},
	{Code: DiskFull, Class: ClassUnknown, Status: 507,
		Sentence: "The disk of the data folder is full.",
		Remedy:   "Make room on it; nothing that was recorded before is lost."},
	{Code: Stopping, Class: ClassUnknown, Status: 503,
		Sentence: "The service is stopping.",
		Remedy:   "Try again when it is up."},
	{Code: Failed, Class: ClassUnknown, Status: 500,
		Sentence: "Something in the service failed.",
		Remedy:   "Look into the service's log."},
}
