# The service with its codec worker. Build: docker build -t webostrum .
# The image was not built where it was written: no Docker engine is there; see docs/running.md.
FROM node:20-bookworm AS web
WORKDIR /src
COPY web web
RUN cd web && npm ci --no-audit --no-fund && npm run build

FROM golang:1.26-bookworm AS build
RUN apt-get update && apt-get install -y --no-install-recommends pkg-config libopenh264-dev libde265-dev libturbojpeg0-dev libvpx-dev libyuv-dev libopus-dev libvo-aacenc-dev libfaad-dev && rm -rf /var/lib/apt/lists/*
WORKDIR /src
COPY . .
COPY --from=web /src/web/dist web/dist
RUN CGO_ENABLED=0 go build -trimpath -ldflags='-s -w' -tags=nolibopusfile,faad -o /out/webostrum ./cmd/webostrum && \
    CGO_ENABLED=1 go build -trimpath -tags=nolibopusfile,faad -o /out/webostrum-codecs ./cmd/webostrum-codecs

FROM debian:bookworm-slim
RUN apt-get update && apt-get install -y --no-install-recommends ca-certificates libopenh264-7 libde265-0 libturbojpeg0 libvpx7 libyuv0 libopus0 libvo-aacenc0 libfaad2 && rm -rf /var/lib/apt/lists/* && \
    useradd --system --home /var/lib/webostrum webostrum && install -d -m 0700 -o webostrum -g webostrum /var/lib/webostrum
COPY --from=build /out/webostrum /out/webostrum-codecs /usr/local/bin/
USER webostrum
VOLUME /var/lib/webostrum
EXPOSE 7600 7601/tcp 7601/udp
HEALTHCHECK --interval=30s --timeout=5s CMD ["webostrum", "reach", "--from", "http://127.0.0.1:7600"]
ENTRYPOINT ["webostrum", "--data", "/var/lib/webostrum"]
CMD ["serve"]
