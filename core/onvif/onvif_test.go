package onvif_test

import (
	"encoding/base64"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/onvif"
	"webostrum/core/xmltree"
)

// TestDigest against openssl: nonce, time and password after each other, by SHA-1.
func TestDigest(t *testing.T) {
	nonce, err := base64.StdEncoding.DecodeString("LKqI6G/AikKCQrN0zqFlLg==")
	require.NoError(t, err)
	assert.Equal(t, "oY0O07bhF2Jy2puk5NX1TaBCkvw=", onvif.Digest(nonce, "2010-09-16T07:50:45Z", "userpassword"))
}

func TestEnvelope(t *testing.T) {
	at := time.Date(2026, 11, 27, 1, 2, 3, 0, time.UTC)
	who := &onvif.Signature{User: `a"<b>`, Password: "secret", Nonce: []byte("0123456789abcdef"), Created: at}
	data := onvif.GetStreamURI(onvif.MediaService, "p&1").Envelope(who)
	assert.NotContains(t, string(data), "secret")
	n, err := xmltree.Parse(data)
	require.NoError(t, err)
	token := n.First("Header", "Security", "UsernameToken")
	assert.Equal(t, `a"<b>`, token.Value("Username"))
	assert.Equal(t, "2026-11-27T01:02:03.000Z", token.Value("Created"))
	assert.Equal(t, onvif.Digest(who.Nonce, token.Value("Created"), "secret"), token.Value("Password"))
	asked := n.First("Body", "GetStreamUri")
	assert.Equal(t, "p&1", asked.Value("ProfileToken"))
	assert.Equal(t, "RTSP", asked.Value("StreamSetup", "Transport", "Protocol"))
	n, err = xmltree.Parse(onvif.GetClock().Envelope(nil))
	require.NoError(t, err)
	assert.Nil(t, n.First("Header"))
}

func answer(body string) []byte {
	return []byte(`<S:Envelope xmlns:S="x"><S:Body>` + body + `</S:Body></S:Envelope>`)
}

func TestReadFaults(t *testing.T) {
	for text, want := range map[string]onvif.Fault{
		`<s:Fault><s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>ter:InvalidArgVal</s:Value><s:Subcode><s:Value>ter:NoProfile</s:Value></s:Subcode></s:Subcode></s:Code><s:Reason><s:Text>No.</s:Text></s:Reason></s:Fault>`: {Code: "NoProfile", Reason: "No."},
		`<s:Fault><s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>ter:NotAuthorized</s:Value></s:Subcode></s:Code></s:Fault>`:                                                                                                 {Code: "NotAuthorized"},
		`<Fault><faultcode>Server</faultcode><faultstring>broken</faultstring></Fault>`:                                                                                                                                              {Code: "Server", Reason: "broken"},
	} {
		_, err := onvif.GetClock().Read(answer(text))
		var f *onvif.Fault
		require.ErrorAs(t, err, &f, text)
		assert.Equal(t, want, *f)
		assert.Equal(t, want.Code == "NotAuthorized", f.NotAuthorized())
	}
	_, err := onvif.GetClock().Read(answer("<Other/>"))
	assert.ErrorIs(t, err, onvif.ErrNoAnswer)
}

func TestReadClock(t *testing.T) {
	read := func(text string) (time.Time, bool) {
		n, err := onvif.GetClock().Read(answer("<GetSystemDateAndTimeResponse>" + text + "</GetSystemDateAndTimeResponse>"))
		require.NoError(t, err)
		return onvif.ReadClock(n)
	}
	const whole = "<SystemDateAndTime><UTCDateTime><Time><Hour>23</Hour><Minute>59</Minute><Second>58</Second></Time><Date><Year>2026</Year><Month>11</Month><Day>26</Day></Date></UTCDateTime></SystemDateAndTime>"
	at, ok := read(whole)
	assert.True(t, ok)
	assert.Equal(t, time.Date(2026, 11, 26, 23, 59, 58, 0, time.UTC), at)
	for _, wrong := range []string{"", strings.Replace(whole, "2026", "soon", 1), strings.Replace(whole, "2026", "-1", 1), strings.Replace(whole, "<Month>11</Month>", "", 1)} {
		_, ok = read(wrong)
		assert.False(t, ok, wrong)
	}
}

func TestReadProfiles(t *testing.T) {
	first, err := onvif.GetProfiles(onvif.MediaService).Read(answer(`<GetProfilesResponse>
		<Profiles token="a"><Name>Main</Name><VideoEncoderConfiguration><Encoding>h.264</Encoding><Resolution><Width>1280</Width><Height>720</Height></Resolution>
			<RateControl><FrameRateLimit>25</FrameRateLimit><EncodingInterval>5</EncodingInterval><BitrateLimit>2048</BitrateLimit></RateControl><H264><GovLength>10</GovLength><H264Profile>High</H264Profile></H264></VideoEncoderConfiguration>
			<AudioEncoderConfiguration><Encoding>G711</Encoding></AudioEncoderConfiguration></Profiles>
		<Profiles token="no video"><Name>x</Name></Profiles><Profiles><Name>no token</Name><VideoEncoderConfiguration/></Profiles>
		<Profiles token="odd"><VideoEncoderConfiguration><Encoding>Wavelet</Encoding><Resolution><Width>-1</Width><Height>99999999999</Height></Resolution><RateControl><FrameRateLimit>NaN</FrameRateLimit></RateControl></VideoEncoderConfiguration></Profiles>
	</GetProfilesResponse>`))
	require.NoError(t, err)
	assert.Equal(t, []onvif.Profile{
		{Token: "a", Name: "Main", Codec: "H264", Width: 1280, Height: 720, FrameRate: 5, BitRate: 2_048_000, KeyEvery: 2 * time.Second, Coding: "High", Audio: "G711"},
		{Token: "odd", Codec: "Wavelet"},
	}, withoutEncoders(onvif.ReadProfiles(first)))
	encoder := onvif.ReadProfiles(first)[0].Encoder
	assert.Equal(t, onvif.Encoder{Encoding: "h.264", Codec: "H264", Width: 1280, Height: 720, FrameRate: 25, Interval: 5, Kilobits: 2048, Group: 10, Profile: "High"}, encoder)
	second, err := onvif.GetProfiles(onvif.Media2Service).Read(answer(`<GetProfilesResponse><Profiles token="b"><Name>New</Name><Configurations><VideoEncoder GovLength="50" Profile="Main">
		<Encoding>H265</Encoding><Resolution><Width>1920</Width><Height>1080</Height></Resolution><RateControl><FrameRateLimit>25.0</FrameRateLimit><BitrateLimit>1024</BitrateLimit></RateControl></VideoEncoder></Configurations></Profiles></GetProfilesResponse>`))
	require.NoError(t, err)
	assert.Equal(t, []onvif.Profile{{Token: "b", Name: "New", Codec: "H265", Width: 1920, Height: 1080, FrameRate: 25, BitRate: 1_024_000, KeyEvery: 2 * time.Second, Coding: "Main"}}, withoutEncoders(onvif.ReadProfiles(second)))
}

func withoutEncoders(list []onvif.Profile) []onvif.Profile {
	for i := range list {
		list[i].Encoder = onvif.Encoder{}
	}
	return list
}

func TestReadEncoderOptions(t *testing.T) {
	second, err := onvif.GetEncoderOptions(onvif.Media2Service, "e", "p").Read(answer(`<GetVideoEncoderConfigurationOptionsResponse>
		<Options GovLengthRange="1 400" FrameRatesSupported="30 12.5 25 1" ProfilesSupported="Main Main10"><Encoding>H265</Encoding><QualityRange><Min>1</Min><Max>5</Max></QualityRange>
			<ResolutionsAvailable><Width>1920</Width><Height>1080</Height></ResolutionsAvailable><ResolutionsAvailable><Width>0</Width><Height>9</Height></ResolutionsAvailable>
			<BitrateRange><Min>64</Min><Max>8192</Max></BitrateRange></Options></GetVideoEncoderConfigurationOptionsResponse>`))
	require.NoError(t, err)
	assert.Equal(t, []onvif.EncoderOptions{{
		Codec: "H265", Sizes: [][2]int{{1920, 1080}}, FrameRate: onvif.Range{Least: 1, Most: 30}, Group: onvif.Range{Least: 1, Most: 400}, Kilobits: onvif.Range{Least: 64, Most: 8192},
		Quality: onvif.Range{Least: 1, Most: 5}, Profiles: []string{"Main", "Main10"},
	}}, onvif.ReadEncoderOptions(second))
	first, err := onvif.GetEncoderOptions(onvif.MediaService, "e", "p").Read(answer(`<GetVideoEncoderConfigurationOptionsResponse><Options>
		<JPEG><ResolutionsAvailable><Width>640</Width><Height>480</Height></ResolutionsAvailable><FrameRateRange><Min>1</Min><Max>10</Max></FrameRateRange></JPEG>
		<H264><GovLengthRange><Min>1</Min><Max>60</Max></GovLengthRange><H264ProfilesSupported>High</H264ProfilesSupported></H264></Options></GetVideoEncoderConfigurationOptionsResponse>`))
	require.NoError(t, err)
	assert.Equal(t, []onvif.EncoderOptions{
		{Codec: "H264", Group: onvif.Range{Least: 1, Most: 60}, Profiles: []string{"High"}},
		{Codec: "JPEG", Sizes: [][2]int{{640, 480}}, FrameRate: onvif.Range{Least: 1, Most: 10}},
	}, onvif.ReadEncoderOptions(first))
}

// TestAnEncoderIsWrittenWhole leaves nothing out that was read, and escapes it.
func TestAnEncoderIsWrittenWhole(t *testing.T) {
	e := onvif.Encoder{Token: `a"<`, Name: "n&m", UseCount: 2, Encoding: "H264", Codec: "H264", Width: 640, Height: 360, FrameRate: 12.5, Kilobits: 900, Group: 25, Profile: "Main", Quality: 3,
		Multicast: onvif.Multicast{Address: "ff05::7", Port: 5000, TTL: 3}}
	for _, service := range []string{onvif.MediaService, onvif.Media2Service} {
		n, err := xmltree.Parse(onvif.SetEncoder(service, e).Envelope(nil))
		require.NoError(t, err)
		c := n.First("Body", "SetVideoEncoderConfiguration", "Configuration")
		assert.Equal(t, `a"<`, c.Attribute("token"))
		assert.Equal(t, "n&m", c.Value("Name"))
		assert.Equal(t, "ff05::7", c.Value("Multicast", "Address", "IPv6Address"))
		assert.Equal(t, "900", c.Value("RateControl", "BitrateLimit"))
		assert.Equal(t, "25", c.Attribute("GovLength")+c.Value("H264", "GovLength"))
	}
}

func TestReadControls(t *testing.T) {
	n, err := onvif.GetPresets("p").Read(answer(`<GetPresetsResponse><Preset token="1"><Name>Gate</Name></Preset><Preset token="2"/><Preset><Name>no token</Name></Preset></GetPresetsResponse>`))
	require.NoError(t, err)
	assert.Equal(t, []onvif.Preset{{"1", "Gate"}, {"2", "2"}}, onvif.ReadPresets(n))
	settings, err := onvif.GetImage("v").Read(answer(`<GetImagingSettingsResponse><ImagingSettings><Brightness>60</Brightness><Contrast>5</Contrast><IrCutFilter>AUTO</IrCutFilter></ImagingSettings></GetImagingSettingsResponse>`))
	require.NoError(t, err)
	options, err := onvif.GetImageOptions("v").Read(answer(`<GetOptionsResponse><ImagingOptions><Brightness><Min>0</Min><Max>100</Max></Brightness><IrCutFilterModes>ON</IrCutFilterModes></ImagingOptions></GetOptionsResponse>`))
	require.NoError(t, err)
	assert.Equal(t, onvif.Image{
		Values: map[onvif.ImageSetting]float64{onvif.Brightness: 60}, Ranges: map[onvif.ImageSetting]onvif.Range{onvif.Brightness: {Most: 100}}, Filter: "AUTO", Filters: []string{"ON"},
	}, onvif.ReadImage(settings, options), "what has no range cannot be set")
}

func FuzzRead(f *testing.F) {
	f.Add(answer("<GetProfilesResponse><Profiles token='a'><VideoEncoderConfiguration/></Profiles></GetProfilesResponse>"))
	f.Add(answer("<Fault/>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		n, err := onvif.GetProfiles(onvif.MediaService).Read(data)
		if err != nil {
			return
		}
		onvif.ReadClock(n)
		onvif.ReadInformation(n)
		onvif.ReadServices(n)
		onvif.ReadURI(n)
		onvif.ReadEncoderOptions(n)
		onvif.ReadPresets(n)
		onvif.ReadImage(n, n)
		for _, p := range onvif.ReadProfiles(n) {
			if p.Token == "" || p.FrameRate < 0 || p.Width < 0 {
				t.Fatalf("%+v", p)
			}
		}
	})
}
