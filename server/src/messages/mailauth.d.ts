declare module 'mailauth/lib/dkim/verify.js' {
  export function dkimVerify(
    mail: Buffer,
    options: { resolver(name: string, type: string): Promise<string[][]> },
  ): Promise<{ results: { signingDomain: string; status: { result: string; comment?: string } }[] }>;
}
