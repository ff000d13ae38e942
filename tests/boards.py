"""Stand-ins for boards: the modules of MicroPython, and the headers of the Arduino framework."""

from __future__ import annotations

import subprocess
from pathlib import Path

BOARD = """
import json, sys, time, types, urllib.error, urllib.request
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
network = types.ModuleType("network")
network.STA_IF = 0
class WLAN:
    def __init__(self, _): self.on = False
    def active(self, _): pass
    def connect(self, *_): self.on = True
    def isconnected(self): return self.on
network.WLAN = WLAN
class MQTTException(Exception):
    pass
class RTC:
    kept = b""
    def datetime(self, told): print("clock set to", *told)
    def memory(self, told=None):
        if told is None: return RTC.kept
        RTC.kept = told
def sleep(_s):
    raise SystemExit
def deepsleep(_ms):
    wake()
machine = types.ModuleType("machine")
machine.RTC, machine.deepsleep = RTC, deepsleep
time.sleep = sleep
away = 0
class MQTTClient:
    def __init__(self, name, host, port, user=None, password=None):
        self.client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id=name)
        self.client.username_pw_set(user, password)
        self.where = host, port
    def connect(self):
        global away
        if away:
            away -= 1
            raise OSError(113, "no route")
        self.client.connect(*self.where); self.client.loop_start()
    def set_callback(self, call):
        self.client.on_message = lambda _client, _data, told: call(told.topic, told.payload)
    def subscribe(self, topic): self.client.subscribe(topic.decode(), 1)
    def check_msg(self): pass
    def publish(self, topic, body, qos):
        self.client.publish(topic.decode(), body, qos=qos).wait_for_publish(10)
    def disconnect(self): self.client.disconnect()
class Answer:
    def __init__(self, told):
        self.status_code, self.content = told.status, told.read()
    def json(self): return json.loads(self.content)
    def close(self): pass
def get(url, headers={}):
    try:
        return Answer(urllib.request.urlopen(urllib.request.Request(url, headers=headers)))
    except urllib.error.HTTPError as error:
        return Answer(error)
requests = types.ModuleType("requests")
requests.get = get
simple = types.ModuleType("umqtt.simple")
simple.MQTTClient, simple.MQTTException = MQTTClient, MQTTException
sys.modules |= {"machine": machine, "network": network, "umqtt": types.ModuleType("umqtt"),
                "umqtt.simple": simple, "requests": requests}
"""
"""What stands before a program for MicroPython: it sleeps once, and then ends."""

_ARDUINO_H = r"""
#pragma once
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <string>
#include <unistd.h>
struct String {
  std::string text;
  String(const char* told = "") : text(told) {}
  String(const std::string& told) : text(told) {}
  int indexOf(const String& what, int from = 0) const {
    auto at = text.find(what.text, from);
    return at == std::string::npos ? -1 : int(at);
  }
  String substring(int from, int to = -1) const {
    return to < 0 ? text.substr(from) : text.substr(from, to - from);
  }
  unsigned length() const { return text.size(); }
  const char* c_str() const { return text.c_str(); }
  long toInt() const { return std::atol(text.c_str()); }
  void trim() {
    text.erase(0, text.find_first_not_of(" \n\r\t"));
    text.erase(text.find_last_not_of(" \n\r\t") + 1);
  }
  bool operator!=(const char* other) const { return text != other; }
};
inline String operator+(const String& one, const String& other) { return one.text + other.text; }
struct {
  void begin(int) {}
  void println(int code) { std::printf("%d\n", code); }
  void println(const char* words) { std::printf("%s\n", words); }
} Serial;
struct { void restart() { std::puts("restart"); std::exit(0); } } ESP;
inline void configTime(int, int, const char*) {}
inline int loops = 0;
inline void delay(int) { if (++loops == 3) std::exit(0); sleep(1); }
"""
_WIFI_H = """
#pragma once
#include <Arduino.h>
#define WL_CONNECTED 3
struct { void begin(const char*, const char*) {} int status() { return WL_CONNECTED; } } WiFi;
struct WiFiClient {};
"""
_HTTP_H = r"""
#pragma once
#include <WiFi.h>
inline int away = std::getenv("AWAY") ? std::atoi(std::getenv("AWAY")) : 0;
struct Bytes {
  std::string told;
  size_t at = 0;
  size_t readBytes(uint8_t* into, size_t most) {
    size_t count = std::min(most, told.size() - at);
    std::memcpy(into, told.data() + at, count);
    at += count;
    return count;
  }
};
struct HTTPClient {
  std::string words, url;
  Bytes body;
  void begin(WiFiClient&, const String& to) { url = to.text; }
  void addHeader(const char* name, const String& value) {
    words += std::string(" -H '") + name + ": " + value.text + "'";
  }
  int POST(const char* told) {
    if (away-- > 0) return -1;
    auto call = "curl -sf" + words + " -d '" + told + "' " + url + " >&2";
    return std::system(call.c_str()) == 0 ? 200 : -1;
  }
  int GET() {
    auto call = "curl -s -o got.bin -w '%{http_code}'" + words + " '" + url + "'";
    FILE* asked = popen(call.c_str(), "r");
    int code = -1;
    if (std::fscanf(asked, "%d", &code) != 1) code = -1;
    pclose(asked);
    body = {};
    if (code == 200) {
      FILE* file = std::fopen("got.bin", "rb");
      for (int byte; (byte = std::fgetc(file)) != EOF;) body.told += char(byte);
      std::fclose(file);
    }
    return code;
  }
  String getString() { return body.told; }
  Bytes& getStream() { return body; }
  void end() {}
};
"""
_UPDATE_H = """
#pragma once
#include <Arduino.h>
struct {
  FILE* file = nullptr;
  bool begin(size_t) { return (file = std::fopen("flash.bin", "wb")); }
  size_t write(const uint8_t* part, size_t size) { return std::fwrite(part, 1, size, file); }
  bool end(bool) { return std::fclose(file) == 0; }
} Update;
"""
# Checked by OpenSSL: the key in the form of RFC 8410, the text as it is.
_ED25519_H = r"""
#pragma once
#include <Arduino.h>
struct Ed25519 {
  static void put(const char* name, const void* told, size_t size, const char* before = "",
                  size_t more = 0) {
    FILE* file = std::fopen(name, "wb");
    std::fwrite(before, 1, more, file);
    std::fwrite(told, 1, size, file);
    std::fclose(file);
  }
  static bool verify(const uint8_t signature[64], const uint8_t key[32], const void* text,
                     size_t size) {
    put("key.der", key, 32, "\x30\x2a\x30\x05\x06\x03\x2b\x65\x70\x03\x21\x00", 12);
    put("signature.bin", signature, 64);
    put("text.bin", text, size);
    return !std::system("openssl pkeyutl -verify -pubin -inkey key.der -keyform DER -rawin "
                        "-in text.bin -sigfile signature.bin >&2");
  }
};
"""
_SHA256_H = r"""
#pragma once
#include <Arduino.h>
struct SHA256 {
  FILE* pipe = popen("openssl dgst -sha256 -binary > digest.bin", "w");
  void update(const void* part, size_t size) { std::fwrite(part, 1, size, pipe); }
  void finalize(void* into, size_t size) {
    pclose(pipe);
    FILE* file = std::fopen("digest.bin", "rb");
    if (std::fread(into, 1, size, file) != size) std::abort();
    std::fclose(file);
  }
};
"""
_HEADERS = {
    "Arduino.h": _ARDUINO_H,
    "WiFi.h": _WIFI_H,
    "HTTPClient.h": _HTTP_H,
    "Update.h": _UPDATE_H,
    "Ed25519.h": _ED25519_H,
    "SHA256.h": _SHA256_H,
}


def compile_arduino(program: str, folder: Path) -> Path:
    """Compile a program of the Arduino framework against stand-ins; it loops three times."""
    folder.mkdir(exist_ok=True)
    for name, text in _HEADERS.items():
        (folder / name).write_text(text)
    (folder / "main.cpp").write_text(program + "\nint main() { setup(); for (;;) loop(); }\n")
    subprocess.run(
        ["g++", "-O1", "-Wall", "-Werror", "-I", folder, "-o", "sender", "main.cpp"],
        check=True,
        cwd=folder,
    )
    return folder / "sender"
