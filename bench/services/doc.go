// Package services asks phones through the services that every adb daemon
// offers: a shell, files, a restart. It does so over a Host, which is whatever
// the phones hang on: an adb server (package adb), or a browser (package usb).
package services
