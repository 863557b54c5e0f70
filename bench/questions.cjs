// Preloaded into a run of the program: writes down every question that it sends over UDP, as SERVER NAME TYPE,
// and DO behind those that ask for signatures too (RFC 3225), into $QUESTIONS.
const dgram = require("node:dgram");
const { appendFileSync } = require("node:fs");

const { send } = dgram.Socket.prototype;
dgram.Socket.prototype.send = function (message, ...rest) {
  const labels = [];
  let at = 12;
  for (; message[at] !== 0; at += message[at] + 1) labels.push(message.toString("latin1", at + 1, at + 1 + message[at]));
  const { address, port } = this.remoteAddress();
  const signed = message.readUInt16BE(10) > 0 && (message.readUInt16BE(message.length - 4) & 0x8000) !== 0 ? " DO" : "";
  const question = `${labels.join(".").toLowerCase()} ${message.readUInt16BE(at + 1)}${signed}`;
  appendFileSync(process.env.QUESTIONS, `${address}:${port} ${question}\n`);
  return send.call(this, message, ...rest);
};
