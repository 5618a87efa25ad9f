import { generateKeyPairSync } from "node:crypto";
import forge from "node-forge";

export interface Pair {
  certificate: string;
  privateKey: string;
}

/** An authority for tests, and the certificates that it makes. */
export class Authority {
  readonly #key: forge.pki.rsa.PrivateKey;
  readonly #certificate: forge.pki.Certificate;
  #serial = 1;

  constructor(name: string) {
    const made = keys();
    this.#key = made.private;
    this.#certificate = forge.pki.createCertificate();
    const subject = [{ name: "commonName", value: name }];
    this.#certificate.publicKey = made.public;
    this.#certificate.serialNumber = "00";
    this.#certificate.validity.notBefore = new Date(Date.now() - 86_400_000 * 60);
    this.#certificate.validity.notAfter = new Date(Date.now() + 86_400_000 * 365);
    this.#certificate.setSubject(subject);
    this.#certificate.setIssuer(subject);
    this.#certificate.setExtensions([{ name: "basicConstraints", cA: true }]);
    this.#certificate.sign(this.#key, forge.md.sha256.create());
  }

  get pem(): string {
    return forge.pki.certificateToPem(this.#certificate);
  }

  /** @param ends when it ends, in milliseconds since 1970 */
  make(name: string, ends = Date.now() + 86_400_000 * 90): Pair {
    const made = keys();
    const certificate = forge.pki.createCertificate();
    certificate.publicKey = made.public;
    certificate.serialNumber = (++this.#serial).toString(16).padStart(2, "0");
    certificate.validity.notBefore = new Date(Date.now() - 86_400_000 * 30);
    certificate.validity.notAfter = new Date(ends);
    certificate.setSubject([{ name: "commonName", value: name }]);
    certificate.setIssuer(this.#certificate.subject.attributes);
    certificate.setExtensions([
      {
        name: "subjectAltName",
        altNames: [
          { type: 7, ip: "127.0.0.1" },
          { type: 2, value: "localhost" },
        ],
      },
    ]);
    certificate.sign(this.#key, forge.md.sha256.create());
    return { certificate: forge.pki.certificateToPem(certificate), privateKey: made.pem };
  }

  /** A PKCS#12 file with a certificate and its key, in Base64. */
  pkcs12({ certificate, privateKey }: Pair, passphrase: string): string {
    const asn1 = forge.pkcs12.toPkcs12Asn1(
      forge.pki.privateKeyFromPem(privateKey),
      [forge.pki.certificateFromPem(certificate), this.#certificate],
      passphrase,
      { algorithm: "aes256" },
    );
    return forge.util.encode64(forge.asn1.toDer(asn1).getBytes());
  }
}

function keys(): { public: forge.pki.rsa.PublicKey; private: forge.pki.rsa.PrivateKey; pem: string } {
  const pair = generateKeyPairSync("rsa", {
    modulusLength: 2048,
    publicKeyEncoding: { type: "spki", format: "pem" },
    privateKeyEncoding: { type: "pkcs8", format: "pem" },
  });
  return {
    public: forge.pki.publicKeyFromPem(pair.publicKey),
    private: forge.pki.privateKeyFromPem(pair.privateKey),
    pem: pair.privateKey,
  };
}
