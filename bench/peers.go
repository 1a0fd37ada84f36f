package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	prtp "github.com/pion/rtp"

	"github.com/pion/interceptor"
	"github.com/pion/webrtc/v4"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/deliver/whep"
	"webostrum/testkit/peer"
	"webostrum/testkit/pictures"
)

const (
	peers           = 40
	peerFrames      = 25
	peerMTU         = 1200
	sendFor         = 6 * time.Second
	peerKeySize     = 60_000
	peerPictureSize = 9_000 // 2 Mbit/s with a keyframe every two seconds
)

// receive is the viewers: another process that opens so many peer connections, reads
// them until its input ends, and says how many bytes of payload came.
func receive(address string, n int) error {
	var total atomic.Int64
	var connected sync.WaitGroup
	for range n {
		pc, err := newPeer(nil)
		if err != nil {
			return err
		}
		defer func() { _ = pc.Close() }()
		connected.Add(1)
		pc.OnTrack(func(t *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
			connected.Done()
			buf := make([]byte, 2*peerMTU)
			for {
				k, _, err := t.Read(buf)
				if err != nil {
					return
				}
				total.Add(int64(k))
			}
		})
		if err := join(pc, address); err != nil {
			return err
		}
	}
	connected.Wait()
	fmt.Println("open")
	_, _ = io.Copy(io.Discard, os.Stdin)
	fmt.Println(total.Load())
	return nil
}

// newPeer makes a peer without anything but what is needed, on a port of the mux if
// there is one.
func newPeer(settings *webrtc.SettingEngine) (*webrtc.PeerConnection, error) {
	if settings == nil {
		settings = &webrtc.SettingEngine{}
		settings.SetIncludeLoopbackCandidate(true)
		settings.SetNetworkTypes([]webrtc.NetworkType{webrtc.NetworkTypeUDP4})
		settings.SetInterfaceFilter(func(name string) bool { return name == "lo" })
	}
	m := &webrtc.MediaEngine{}
	if err := m.RegisterDefaultCodecs(); err != nil {
		return nil, err
	}
	return webrtc.NewAPI(webrtc.WithSettingEngine(*settings), webrtc.WithMediaEngine(m), webrtc.WithInterceptorRegistry(&interceptor.Registry{})).NewPeerConnection(webrtc.Configuration{})
}

// join posts an offer and takes the answer.
func join(pc *webrtc.PeerConnection, address string) error {
	_, err := pc.AddTransceiverFromKind(webrtc.RTPCodecTypeVideo, webrtc.RTPTransceiverInit{Direction: webrtc.RTPTransceiverDirectionRecvonly})
	if err != nil {
		return err
	}
	offer, err := peer.Offer(pc, nil)
	if err != nil {
		return err
	}
	res, err := http.Post("http://"+address, "application/sdp", strings.NewReader(offer))
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	answer, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		return errors.Join(err, fmt.Errorf("answered %s: %s", res.Status, answer))
	}
	return pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeAnswer, SDP: string(answer)})
}

// answering serves offers, until its end is called.
func answering(answer func(offer string) (string, error)) (address string, end func(), err error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, err
	}
	server := &http.Server{ReadHeaderTimeout: time.Minute, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		offer, _ := io.ReadAll(r.Body)
		sdp, err := answer(string(offer))
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		_, _ = io.WriteString(w, sdp)
	})}
	go func() { _ = server.Serve(l) }()
	return l.Addr().String(), func() { _ = server.Close() }, nil
}

// filmSample is picture n of a film of 2 Mbit/s.
func filmSample(epoch *media.Epoch, n int64) *media.Sample {
	key := n%(2*peerFrames) == 0
	data := pictures.Data(pictures.P(peerPictureSize, byte(n)))
	if key {
		data = pictures.Data(pictures.IDR(peerKeySize, byte(n)))
	}
	const frame = 90000 / peerFrames
	return &media.Sample{Epoch: epoch, Track: epoch.Tracks[0], DTS: n * frame, PTS: n * frame, Captured: time.Now(), Key: key, Data: data}
}

func filmEpoch() *media.Epoch {
	return &media.Epoch{Tracks: []*media.Track{pictures.Track(pictures.SPS)}}
}

// sendPeers has peers watch while pictures are shown at their pace, and returns the
// processor time of this process for each byte that came.
func sendPeers(answer func(string) (string, error), show func(n int64)) (perByte float64, err error) {
	address, end, err := answering(answer)
	if err != nil {
		return 0, err
	}
	defer end()
	stop := make(chan struct{})
	var showing sync.WaitGroup
	showing.Go(func() {
		ticker := time.NewTicker(time.Second / peerFrames)
		defer ticker.Stop()
		for n := int64(0); ; n++ {
			show(n)
			select {
			case <-ticker.C:
			case <-stop:
				return
			}
		}
	})
	defer showing.Wait()
	defer close(stop)
	self, err := os.Executable()
	if err != nil {
		return 0, err
	}
	c := &crowd{cmd: exec.Command(self, "-receive", address, "-viewers", strconv.Itoa(peers))}
	if c.stdin, err = c.cmd.StdinPipe(); err != nil {
		return 0, err
	}
	out, err := c.cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	c.out = bufio.NewReader(out)
	var said bytes.Buffer
	c.cmd.Stderr = &said
	if err := c.cmd.Start(); err != nil {
		return 0, err
	}
	if _, err := c.out.ReadString('\n'); err != nil {
		return 0, fmt.Errorf("the viewers did not connect: %w %s", err, said.String())
	}
	before, err := usage()
	if err != nil {
		return 0, err
	}
	time.Sleep(sendFor)
	after, err := usage()
	if err != nil {
		return 0, err
	}
	bytes, err := c.leave()
	return (after - before).Seconds() / bytes, err
}

// ourPeers sends by our delivery.
func ourPeers() (float64, error) {
	server, err := whep.New(whep.Config{Listen: "127.0.0.1:0"})
	if err != nil {
		return 0, err
	}
	h := hub.New(hub.Config{})
	defer h.Close()
	defer func() { _ = server.Close() }()
	epoch := filmEpoch()
	return sendPeers(func(offer string) (string, error) {
		_, answer, err := server.Open(context.Background(), "bench", offer, whep.Source{Hub: h, Release: func() {}})
		return answer, err
	}, func(n int64) { h.Publish(filmSample(epoch, n)) })
}

// barePeers sends the same packets from one track that all peers share, with the same
// settings and nothing else.
func barePeers() (float64, error) {
	udp, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	if err != nil {
		return 0, err
	}
	defer func() { _ = udp.Close() }()
	mux := webrtc.NewICEUDPMux(nil, udp)
	var settings webrtc.SettingEngine
	settings.SetICEUDPMux(mux)
	settings.SetIncludeLoopbackCandidate(true)
	settings.SetLite(true)
	track, err := webrtc.NewTrackLocalStaticRTP(webrtc.RTPCodecCapability{MimeType: webrtc.MimeTypeH264, ClockRate: 90000}, "video", "bench")
	if err != nil {
		return 0, err
	}
	var mu sync.Mutex
	var open []*webrtc.PeerConnection
	defer func() {
		for _, pc := range open {
			_ = pc.Close()
		}
	}()
	epoch, sequence := filmEpoch(), uint16(0)
	return sendPeers(func(offer string) (string, error) {
		pc, err := newPeer(&settings)
		if err != nil {
			return "", err
		}
		mu.Lock()
		open = append(open, pc)
		mu.Unlock()
		return bareAnswer(pc, track, offer)
	}, func(n int64) {
		s := filmSample(epoch, n)
		payloads := rtp.Payloads(s, peerMTU)
		for i, payload := range payloads {
			sequence++
			_ = track.WriteRTP(&prtp.Packet{Header: prtp.Header{Version: 2, SequenceNumber: sequence, Timestamp: uint32(s.PTS), Marker: i == len(payloads)-1}, Payload: payload})
		}
	})
}

func bareAnswer(pc *webrtc.PeerConnection, track webrtc.TrackLocal, offer string) (string, error) {
	if err := pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeOffer, SDP: offer}); err != nil {
		return "", err
	}
	if _, err := pc.AddTrack(track); err != nil {
		return "", err
	}
	answer, err := pc.CreateAnswer(nil)
	if err != nil {
		return "", err
	}
	gathered := webrtc.GatheringCompletePromise(pc)
	if err := pc.SetLocalDescription(answer); err != nil {
		return "", err
	}
	<-gathered
	return pc.LocalDescription().SDP, nil
}

// peering compares WebRTC to many viewers with a bare program over the same library.
func peering() ([]result, error) {
	var ours, bare []float64
	for range rounds {
		o, err := ourPeers()
		if err != nil {
			return nil, fmt.Errorf("ours: %w", err)
		}
		b, err := barePeers()
		if err != nil {
			return nil, fmt.Errorf("bare: %w", err)
		}
		ours, bare = append(ours, o), append(bare, b)
	}
	o, b := median(ours), median(bare)
	const aSecond = 2e6 / 8
	return []result{{
		fmt.Sprintf("WebRTC to %d viewers at 2 Mbit/s", peers), fmt.Sprintf("%.0f viewers a core", 1/(o*aSecond)),
		fmt.Sprintf("%.0f by a bare program over pion", 1/(b*aSecond)), fmt.Sprintf("%.2f", b/o), "0.95 or better",
	}}, nil
}
