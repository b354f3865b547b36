// What a browser is asked of passkeys, and its answers, as JSON carries them: bytes
// as base64url. Source: Web Authentication, level 3, the JSON forms of sections 5.1.8 to 5.1.10.
const bytes = (text: string) =>
  Uint8Array.from(atob(text.replace(/-/g, '+').replace(/_/g, '/')), (c) => c.charCodeAt(0));
const text = (raw: ArrayBuffer | null) =>
  raw
    ? btoa(String.fromCharCode(...new Uint8Array(raw)))
        .replace(/\+/g, '-')
        .replace(/\//g, '_')
        .replace(/=+$/, '')
    : undefined;

interface Described {
  id: string;
  type: 'public-key';
  transports?: AuthenticatorTransport[];
}
type Asked<T> = Omit<T, 'challenge'> & { challenge: string };
const described = (list: Described[] = []) => list.map((d) => ({ ...d, id: bytes(d.id) }));

/** Whether this browser can have passkeys for this address. */
export const possible = () =>
  typeof PublicKeyCredential !== 'undefined' && !/^[\d.]+$|:/.test(location.hostname.replace(/[[\]]/g, ''));

/** Makes a passkey; throws where whoever sits there did not want to. */
export async function make(options: unknown): Promise<unknown> {
  const asked = options as Asked<PublicKeyCredentialCreationOptions> & {
    user: { id: string };
    excludeCredentials?: Described[];
  };
  const made = (await navigator.credentials.create({
    publicKey: {
      ...(asked as unknown as PublicKeyCredentialCreationOptions),
      challenge: bytes(asked.challenge),
      user: { ...(asked.user as unknown as PublicKeyCredentialUserEntity), id: bytes(asked.user.id) },
      excludeCredentials: described(asked.excludeCredentials),
    },
  })) as PublicKeyCredential;
  const response = made.response as AuthenticatorAttestationResponse;
  return {
    ...head(made),
    response: {
      clientDataJSON: text(response.clientDataJSON),
      attestationObject: text(response.attestationObject),
      transports: response.getTransports?.() ?? [],
    },
  };
}

/** Lets somebody choose one of their passkeys; throws where they did not. */
export async function choose(options: unknown): Promise<unknown> {
  const asked = options as Asked<PublicKeyCredentialRequestOptions> & { allowCredentials?: Described[] };
  const got = (await navigator.credentials.get({
    publicKey: {
      ...(asked as unknown as PublicKeyCredentialRequestOptions),
      challenge: bytes(asked.challenge),
      allowCredentials: described(asked.allowCredentials),
    },
  })) as PublicKeyCredential;
  const response = got.response as AuthenticatorAssertionResponse;
  return {
    ...head(got),
    response: {
      clientDataJSON: text(response.clientDataJSON),
      authenticatorData: text(response.authenticatorData),
      signature: text(response.signature),
      userHandle: text(response.userHandle),
    },
  };
}

const head = (made: PublicKeyCredential) => ({
  id: made.id,
  rawId: text(made.rawId),
  type: made.type,
  clientExtensionResults: made.getClientExtensionResults(),
});
