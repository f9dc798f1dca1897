declare module "@alpinejs/csp" {
  import Alpine from "alpinejs";
  export default Alpine;
}
