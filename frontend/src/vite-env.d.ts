/// <reference types="vite/client" />

declare module '*?url&no-inline' {
  const url: string
  export default url
}
