package netif

// GatewayIn is for tests.
var GatewayIn = gatewayIn
