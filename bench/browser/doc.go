// Package browser lets a bench live in a browser's worker: phones by the
// browser's USB, what it writes down in the files that the browser keeps for the
// page, and the link by the browser's own requests. What only JavaScript can ask
// of a browser comes from the object that the worker hands over; see
// web/src/usb/worker.ts.
package browser
