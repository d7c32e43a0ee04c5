import { createPrivateKey } from 'node:crypto';
import { readFileSync } from 'node:fs';

/** With what letters are signed (DKIM, RFC 6376), so that who receives them can tell that they come from the house. */
export interface Signer {
  privateKey: string;
  /** under which its public half stands in the domain's DNS: `<selector>._domainkey.<domain>` */
  selector: string;
  /** null is the domain of each letter's sender */
  domain: string | null;
}

export interface SignerSettings {
  keyFile: string;
  selector: string;
  domain: string | null;
}

/** RFC 8301: signers use at least 2048 bits. */
const LEAST_BITS = 2048;

/** Reads the key that letters are signed with. @throws Error with a sentence where there is none, or another kind of key */
export function readSigner(settings: SignerSettings | null): Signer | null {
  if (!settings) return null;
  const { keyFile, selector, domain } = settings;
  const name = `The setting DKIM_KEY_FILE is "${keyFile}"`;
  let pem: string;
  try {
    pem = readFileSync(keyFile, 'utf8');
  } catch (error) {
    throw new Error(`${name}: expected a file that can be read; ${(error as Error).message}.`, { cause: error });
  }
  let bits: number | undefined;
  try {
    const key = createPrivateKey(pem);
    bits = key.asymmetricKeyType === 'rsa' ? key.asymmetricKeyDetails?.modulusLength : undefined;
  } catch (error) {
    throw new Error(`${name}: expected a private key in PEM, as \`openssl genrsa 2048\` makes it.`, { cause: error });
  }
  if (bits === undefined) throw new Error(`${name}: expected an RSA key, as \`openssl genrsa 2048\` makes it, got a key of another kind.`);
  if (bits < LEAST_BITS) throw new Error(`${name}: expected an RSA key of at least ${LEAST_BITS} bits, got ${bits}.`);
  return { privateKey: pem, selector, domain };
}

/** What is signed: what its reader sees and what mail programs act on; of one-click declining both fields (RFC 8058, 4). */
const SIGNED_FIELDS =
  'From:Reply-To:Subject:Date:Message-ID:To:MIME-Version:Content-Type:Content-Transfer-Encoding:In-Reply-To:References:Auto-Submitted:' +
  'List-Id:List-Unsubscribe:List-Unsubscribe-Post';

/** How the mail library signs a letter of a sender. */
export const signingOf = (
  { privateKey, selector, domain }: Signer,
  fromAddress: string,
): { domainName: string; keySelector: string; privateKey: string; headerFieldNames: string } => ({
  domainName: domain ?? fromAddress.split('@').at(-1)!,
  keySelector: selector,
  privateKey,
  headerFieldNames: SIGNED_FIELDS,
});
